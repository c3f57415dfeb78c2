"""The blocks that ship: pieces that many masters want."""

from __future__ import annotations

from texelcore.materials.sheets.document import Block, BlockInput, Strand


def _row(name: str, operation: str, **inputs: float | str) -> Strand:
    return Strand(name=name, group="", operation=operation, inputs=inputs)


def ragged_edge() -> Block:
    """A mask whose edge is eaten by grain, from nothing at 0 to everything at 1."""
    return Block(
        name="ragged-edge",
        title="Ragged edge",
        summary="How far a mask has come, with an edge that grain has eaten: wear, rust, peeling paint.",
        version=1,
        inputs=(
            BlockInput(name="mask", kind="number", help="where it begins: 1 is first"),
            BlockInput(name="amount", kind="number", default=0.5, help="0 is nothing, 1 everything"),
            BlockInput(name="raggedness", kind="number", default=0.5),
            BlockInput(name="grain", kind="number", default=24.0, help="lumps across the picture"),
        ),
        strands=(
            _row("lumps", "cloud_noise", uv="uv", scale="grain"),
            _row("centred", "subtract", a="lumps", b=0.5),
            _row("counted", "multiply", a="centred", b="raggedness"),
            _row("raw", "add", a="mask", b="counted"),
            _row("begins", "invert", a="amount"),
            _row("ends", "add", a="begins", b=0.08),
            _row("share", "smooth_step", a="raw", low="begins", high="ends"),
            _row("rim", "border", mask="share", width=0.45),
        ),
        outputs=("share", "rim"),
    )


def tinted_border() -> Block:
    """A colour that is tinted where one surface becomes another."""
    return Block(
        name="tinted-border",
        title="Tinted border",
        summary="Hides the seam of two surfaces by a soft, tinted line along it.",
        version=1,
        inputs=(
            BlockInput(name="colour", kind="colour"),
            BlockInput(name="share", kind="number", help="how much of the upper surface is seen"),
            BlockInput(name="tint", kind="colour"),
            BlockInput(name="strength", kind="number", default=0.6),
            BlockInput(name="width", kind="number", default=0.5),
        ),
        strands=(
            _row("line", "border", mask="share", width="width"),
            _row("weight", "multiply", a="line", b="strength"),
            _row("coloured", "multiply", a="colour", b="tint"),
            _row("bordered", "mix", a="colour", b="coloured", share="weight"),
        ),
        outputs=("bordered",),
    )


def wetted() -> Block:
    """A surface that is wet: darker and smoother (common practice)."""
    return Block(
        name="wetted",
        title="Wetted",
        summary="Water in the pores: the colour darkens, and the surface grows smooth.",
        version=1,
        inputs=(
            BlockInput(name="colour", kind="colour"),
            BlockInput(name="rough", kind="number"),
            BlockInput(name="wet", kind="number", default=1.0),
            BlockInput(name="dark", kind="number", default=0.55, help="what is left of the colour"),
        ),
        strands=(
            _row("dark colour", "multiply", a="colour", b="dark"),
            _row("wet colour", "mix", a="colour", b="dark colour", share="wet"),
            _row("damp", "multiply", a="rough", b=0.45),
            _row("wet rough", "mix", a="rough", b="damp", share="wet"),
        ),
        outputs=("wet colour", "wet rough"),
    )


BLOCKS = (ragged_edge, tinted_border, wetted)
