"""Taking what new files offer into a ledger that is there already."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from texelcore.surface.ledger import Ledger, LeftOut
from texelcore.surface.properties import property_of


def merged_with(offered: Ledger, new_files: Iterable[str]) -> Callable[[Ledger], Ledger]:
    """The edit that takes in what new files offer: rows that the ledger lacks, more tiles of those that it has; the rest is left
    out with the reason."""
    new = set(new_files)

    def edit(ledger: Ledger) -> Ledger:
        late = [left_out for left_out in offered.left_out if left_out.file in new]
        for row in offered.rows:
            if not new.intersection(row.files()):
                continue
            current = ledger.row(row.property)
            if current is None or set(current.files()) < set(row.files()):
                ledger = ledger.with_row(row)
            else:
                why = f"{property_of(row.property).title} already has a source."
                late += [LeftOut(file=file, why=why) for file in row.files() if file in new]
        known = set(ledger.files())
        return ledger.model_copy(update={"left_out": (*ledger.left_out, *(entry for entry in late if entry.file not in known))})

    return edit
