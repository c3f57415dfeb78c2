"""What a folder's files make: sets from names and pixels alone, or as a project document has decided."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from texelcli.reading import SortedFolder, codes_of, target_of
from texelcore.building.plan import Plan
from texelcore.checks.ledger_rules import check_set, worst_first
from texelcore.materials.sheets.document import Master, Variant
from texelcore.naming.habits import Habit
from texelcore.naming.house import Reader
from texelcore.naming.rules import HouseRules
from texelcore.pixels.errors import TexelError
from texelcore.project.document import ProjectDocument, read_project_file
from texelcore.project.meeting import meet
from texelcore.proof.tolerances import Tolerances
from texelcore.sorting.sort import Sorting, sort_files
from texelcore.surface.findings import Finding
from texelcore.surface.ledger import Ledger
from texelcore.targets.document import Target

MISSING = "file-missing"


@dataclass(frozen=True)
class SetHere:
    """A set of a folder: its ledger, its code, the targets that it is made for (none where none is named), and the paths of files
    that the project document names and that are not here."""

    ledger: Ledger
    code: str
    targets: tuple[Target, ...]
    missing: tuple[str, ...] = ()

    def home(self, out: Path, target: Target) -> Path:
        """Where its outputs for a target go: a folder of its own; one for each target where there are several."""
        return out / self.code / target.name if len(self.targets) > 1 else out / self.code


@dataclass(frozen=True)
class Arrangement:
    """All sets of a folder with what a project has decided about them; without a document the usual holds."""

    sets: tuple[SetHere, ...]
    sorting: Sorting
    code: str
    rules: HouseRules
    tolerances: Tolerances
    document: ProjectDocument | None

    def split(self) -> tuple[list[Ledger], list[Ledger]]:
        """The ledgers of sets that the document has decided about, and those of all others."""
        known = {texture_set.code for texture_set in self.document.sets} if self.document else set()
        decided = [texture_set.ledger for texture_set in self.sets if texture_set.code in known]
        return decided, [texture_set.ledger for texture_set in self.sets if texture_set.code not in known]

    def dressed(self, code: str) -> list[tuple[Variant, Master]]:
        """The document's variants of a set, each with its master."""
        if self.document is None:
            return []
        masters = {(master.name, master.version): master for master in self.document.masters}
        found = [variant for variant in self.document.variants if variant.set == code]
        return [
            (variant, masters[variant.master, variant.version]) for variant in sorted(found, key=lambda variant: variant.name)
        ]

    def findings(self, here: SetHere, target: Target, plan: Plan, arrival: SortedFolder) -> tuple[Finding, ...]:
        """What is found about a set for a target: by its ledger and pixels, and files that are not here."""
        found = check_set(here.ledger, arrival.files, target, plan, self.rules.checks)
        return worst_first((*missing_files(here), *found))


def arrange(
    arrival: SortedFolder,
    document_file: Path | None,
    target_name: str | None,
    project: str,
    rules: HouseRules | None = None,
    habits: tuple[Habit, ...] = (),
) -> Arrangement:
    """Sort a folder, by a project document where one is named. A target that is named here goes before each set's, and so
    does a project code; `habits` stand beside those of the house. Raises TexelError for a document or target that cannot be
    used."""
    document = read_project_file(document_file) if document_file else None
    if habits and document:
        document = document.model_copy(update={"rules": _with_habits(document.rules, habits)})
    elif habits:
        rules = _with_habits(rules or HouseRules(hold=False), habits)
    named = (named_target(target_name, document),) if target_name else ()
    if document is None:
        sorting = sort_files(arrival.files.values(), Reader(rules, project) if rules else None)
        sets = [SetHere(ledger, code, named) for ledger, code in zip(sorting.ledgers, codes_of(sorting.ledgers), strict=True)]
        return Arrangement(tuple(sets), sorting, project, rules or HouseRules(hold=False), Tolerances(), None)
    met = meet(document, arrival.files)
    sets = [
        SetHere(texture_set.ledger, texture_set.code, named or texture_set.targets, texture_set.missing)
        for texture_set in met.sets
    ]
    sorting = Sorting(tuple(texture_set.ledger for texture_set in sets), met.open)
    return Arrangement(tuple(sets), sorting, project or document.code, rules or document.rules, document.tolerances, document)


def _with_habits(rules: HouseRules, habits: tuple[Habit, ...]) -> HouseRules:
    return rules.model_copy(update={"habits": (*rules.habits, *habits)})


def named_target(name: str, document: ProjectDocument | None) -> Target:
    """A target as it is named on the command line: the project's own at the version that it has, a shipped one, or a document.
    Raises TexelError where there is none."""
    held = document.targets if document else ()
    return next((target for target in held if name in (target.name, target.reference)), None) or target_of(name)


def wanted(here: SetHere) -> tuple[Target, ...]:
    """A set's targets. Raises TexelError where none is named."""
    if not here.targets:
        raise TexelError(here.ledger.name, "has no target.", "Name one with --target, or give a --project-document.")
    return here.targets


def targets_of(sets: Sequence[SetHere]) -> list[Target]:
    """The targets of some sets, each once, by name."""
    found = {target.name: target for texture_set in sets for target in wanted(texture_set)}
    return [target for _, target in sorted(found.items())]


def missing_files(here: SetHere) -> list[Finding]:
    """A finding for each file that the document names and that is not here."""
    return [
        Finding(
            rule=MISSING,
            severity="error",
            stage="sorted",
            subject=path,
            message="The project document names it, and it is not in this folder.",
            way_out="Bring it here, or export the project again without it.",
        )
        for path in here.missing
    ]
