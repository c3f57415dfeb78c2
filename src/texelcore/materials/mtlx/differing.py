"""What of a master has no same in MaterialX, and what stands for it there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from texelcore.materials.sheets.typing import CheckedMaster

# Operations by key: the nearest that MaterialX has, in words that go on after the strand's name.
NEAREST: Mapping[str, str] = {
    "value_noise": "is MaterialX’s own noise, of the same size and range; its lumps lie elsewhere",
    "gradient_noise": "is MaterialX’s own noise, of the same size and range; its lumps lie elsewhere",
    "cloud_noise": "is MaterialX’s own fractal noise, of the same size and range; its lumps lie elsewhere",
    "cell_noise": "is MaterialX’s own cell noise, of the same size; its points lie elsewhere",
    "hex_read": "reads its texture once: what hides the repetition has no same in MaterialX",
}
FAR = "eye distance"
_FAR_SAID = "MaterialX does not say how far the eye is: one metre stands for it."


def differing(checked: CheckedMaster) -> Iterator[str]:
    """Each thing that does not mean the same in MaterialX, in a sentence; strands of which the same is to be said together."""
    strands: dict[str, list[str]] = {}
    for step in checked.steps:
        if step.operation.key in NEAREST:
            strands.setdefault(NEAREST[step.operation.key], []).append(f"“{step.strand.name}”")
    for said, names in strands.items():
        yield f"{'Each of ' if len(names) > 1 else ''}{', '.join(names)} {said}."
    if any(FAR in step.strand.inputs.values() for step in checked.steps):
        yield _FAR_SAID
