"""How far a set has come: one cell for each stage of the work."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel

from texelcore.surface.findings import Finding
from texelweb.builds.planning import State
from texelweb.deliveries.models import DeliveredSet
from texelweb.deliveries.run import fingerprint, variants_of
from texelweb.sets.models import TextureSet

STAGES = ("sorted", "converted", "packed", "named", "built", "proved", "dressed", "delivered")
_BEHIND = ("wrong", "look", "none", "holds")
CellState = Literal["holds", "look", "wrong", "none"]


class Cell(BaseModel):
    """One stage of one set on the board."""

    state: CellState
    count: int
    first: str


def cells_of(texture_set: TextureSet, state: State, delivered: DeliveredSet | None, on_models: str = "") -> dict[str, Cell]:
    """One cell for each stage. What comes after a stage that is wrong is not looked at. `on_models` says which models wear the
    set."""
    cells: dict[str, Cell] = {}
    blocked = False
    for stage in STAGES[:4]:
        here = [finding for finding in state.findings if finding.stage == stage and finding.severity != "note"]
        cells[stage] = Cell(state="none", count=0, first="") if blocked else _cell(here)
        blocked = blocked or cells[stage].state == "wrong"
    if blocked or not state.build:
        cells["built"] = Cell(state="none", count=0, first="not built yet")
    elif state.current:
        cells["built"] = Cell(state="holds", count=0, first=f"{state.build.outputs.count()} outputs, current")
    else:
        cells["built"] = Cell(state="look", count=0, first="built before the last change; build again")
    cells["proved"] = _proved_cell(state) if not blocked else Cell(state="none", count=0, first="")
    cells["dressed"] = _dressed_cell(texture_set)
    cells["delivered"] = _delivered_cell(texture_set, state, delivered, on_models)
    return cells


def worst_of(cells: Sequence[tuple[str, Cell]]) -> Cell:
    """A stage over several targets, each by its title: as it stands for the one that is furthest behind."""
    title, worst = min(cells, key=lambda entry: _BEHIND.index(entry[1].state))
    alike = all(cell == worst for _, cell in cells)
    first = worst.first if alike or not worst.first else f"{title}: {worst.first}"
    return Cell(state=worst.state, count=max(cell.count for _, cell in cells), first=first)


def _proved_cell(state: State) -> Cell:
    here = [finding for finding in state.findings if finding.stage == "proved" and finding.severity != "note"]
    if here and (state.proved or here[0].severity == "error"):
        return _cell(here)
    if state.proved:
        return Cell(state="holds", count=0, first="every output is proved, within the tolerances")
    return Cell(state="none", count=0, first="not proved as it is now: prove it" if state.build else "not proved yet")


def _dressed_cell(texture_set: TextureSet) -> Cell:
    variants = list(texture_set.variants.all())
    # Asked for `as_lines`, so that each knows the newest version of its master.
    behind = [variant for variant in variants if variant.version.number < variant.latest]
    if not variants:
        return Cell(state="none", count=0, first="no variant yet")
    if behind:
        of = behind[0].version
        first = f"{behind[0].name} is on v{of.number} of {of.master.title}; v{behind[0].latest} is out"
        return Cell(state="look", count=len(behind), first=first)
    return Cell(state="holds", count=0, first=", ".join(variant.name for variant in variants))


def _delivered_cell(texture_set: TextureSet, state: State, delivered: DeliveredSet | None, on_models: str) -> Cell:
    if delivered is None:
        return Cell(state="none", count=0, first="not delivered yet")
    if delivered.made_from != fingerprint(state, variants_of(texture_set), on_models):
        return Cell(state="look", count=0, first="delivered before the last change; deliver again")
    receipt = delivered.delivery.receipt
    if receipt is None:
        return Cell(state="look", count=0, first="delivered, but not read back")
    wrong = [finding for finding in receipt.findings if finding.severity == "error"]
    if wrong:
        return Cell(state="wrong", count=len(wrong), first=f"{wrong[0].subject}: {wrong[0].message}")
    return Cell(state="holds", count=0, first="delivered, and read back as it was meant")


def _cell(findings: list[Finding]) -> Cell:
    if not findings:
        return Cell(state="holds", count=0, first="")
    worst = "wrong" if findings[0].severity == "error" else "look"
    return Cell(state=worst, count=len(findings), first=f"{findings[0].subject}: {findings[0].message}")
