"""`fairtexel deliver` and `fairtexel dock`: the whole way from a folder of maps to a receipt."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from texelcli.arrange import Arrangement, SetHere, arrange, named_target, targets_of, wanted
from texelcli.exits import DONE, FOUND, UNUSABLE
from texelcli.folders import GLYPHS, print_rest
from texelcli.reading import Progress, SortedFolder, read_folder, refuse_overlap, target_of
from texelcore.building.execute import make_outputs
from texelcore.building.plan import plan_build
from texelcore.building.sources import in_folder
from texelcore.checks.ledger_rules import worst_first
from texelcore.delivery.dock import ask_dock
from texelcore.delivery.documents import Receipt
from texelcore.delivery.package import Dressed, Encoded, Parcel, write_delivery, zip_delivery
from texelcore.delivery.probes import take_probes
from texelcore.materials.dressing.binding import SetMaps, bind_variant
from texelcore.materials.dressing.set_maps import set_maps
from texelcore.materials.sheets.document import Variant
from texelcore.materials.sheets.masters import shipped_masters
from texelcore.pixels.errors import TexelError
from texelcore.pixels.read import read
from texelcore.pixels.write import write_whole
from texelcore.proof.figures import Figures
from texelcore.proof.prove import prove
from texelcore.proof.tolerances import judge
from texelcore.surface.findings import Finding
from texelcore.targets.document import Target

USUAL_MASTER = "solid-surface"


def deliver_folder(
    folder: Path,
    document: Path | None,
    target_name: str | None,
    out: Path,
    project: str,
    zip_file: Path | None,
    as_json: bool,
) -> int:
    """Sort, build, encode, prove, dress and deliver a folder into `out`, read it back, and give the exit code.

    Every set that can be made whole is delivered, with the variants of a project document, or without one with a variant of the
    usual master. Sets that are made for several targets make a delivery for each, in a folder of `out` under the target's name,
    unless one is named. Raises TexelError for a folder, document or target that cannot be used, or an `out` that cannot be
    written.
    """
    refuse_overlap(folder, out)
    arrival = read_folder(folder)
    # A project's sets are delivered for their own targets: a name chooses among them.
    arranged = arrange(arrival, document, None if document else target_name, project)
    chosen = _chosen(arranged, target_name)
    made = [_deliver(arrival, arranged, target, sets, out / target.name if len(chosen) > 1 else out) for target, sets in chosen]
    if zip_file:
        zip_delivery(out, zip_file)
    if as_json:
        bodies = [entry.report() for entry in made]
        print(json.dumps(bodies[0] if len(bodies) == 1 else {"deliveries": bodies}, indent=2, ensure_ascii=False))
    else:
        for entry in made:
            entry.print()
        print_rest(arrival, arranged.sorting)
    if arrival.unreadable:
        return UNUSABLE
    return DONE if all(entry.holds for entry in made) else FOUND


@dataclass(frozen=True)
class Delivered:
    """A delivery for one target: what went out, what was found on the way by the sets' names, and what the dock says of it."""

    target: Target
    parcels: list[Parcel]
    findings: list[tuple[str, Finding]]
    receipt: Receipt

    @property
    def holds(self) -> bool:
        """Whether it was read as it was meant, and nothing wrong was found before."""
        return self.receipt.holds and not any(finding.severity == "error" for _, finding in self.findings)

    def report(self) -> dict[str, Any]:
        """As JSON."""
        return {
            "target": self.target.name,
            "sets": [
                {
                    "set": parcel.name,
                    "code": parcel.code,
                    "proofs": [output.figures.model_dump(mode="json") for output in parcel.outputs],
                }
                for parcel in self.parcels
            ],
            "findings": [{"set": name} | finding.model_dump(mode="json") for name, finding in self.findings],
            "receipt": self.receipt.model_dump(mode="json"),
        }

    def print(self) -> None:
        """For people."""
        for parcel in self.parcels:
            _print_parcel(parcel)
        for name, finding in self.findings:
            print(f"{GLYPHS[finding.severity]} {name}, {finding.subject}: {finding.message} {finding.way_out}")
        _print_receipt(self.receipt)


def _deliver(arrival: SortedFolder, arranged: Arrangement, target: Target, sets: list[SetHere], out: Path) -> Delivered:
    parcels, findings = [], []
    held: dict[str, SetMaps] = {}
    with tempfile.TemporaryDirectory(prefix="fairtexel-deliver-") as scratch:
        for texture_set in sets:
            parcel, found = _prepare(arrival, arranged, texture_set, target, Path(scratch) / texture_set.code)
            findings += [(texture_set.ledger.name, finding) for finding in found]
            if parcel:
                parcels.append(parcel)
                held[parcel.code] = set_maps(texture_set.ledger, (encoded.planned for encoded in parcel.outputs))
        dressed = [entry for parcel in parcels for entry in _dress(parcel, held, target, arranged)]
        write_delivery(out, arranged.code, target, parcels, dressed, tolerances=arranged.tolerances)
    return Delivered(target, parcels, findings, ask_dock(out, target))


def dock_folder(folder: Path, target_name: str, as_json: bool) -> int:
    """Read a delivered folder as its receiver would, print the receipt, and give the exit code."""
    receipt = ask_dock(folder, target_of(target_name))
    if as_json:
        print(receipt.to_json(), end="")
    else:
        _print_receipt(receipt)
    return DONE if receipt.holds else FOUND


def _chosen(arranged: Arrangement, named: str | None) -> list[tuple[Target, list[SetHere]]]:
    """What is delivered: each target with the sets that are made for it; one alone where it is named. Raises TexelError where
    there is none."""
    wished = named_target(named, arranged.document) if named else None
    chosen = [
        (target, [texture_set for texture_set in arranged.sets if target in wanted(texture_set)])
        for target in targets_of(arranged.sets)
        if wished is None or target == wished
    ]
    if not chosen:
        raise TexelError("The folder", f"holds no set that is made for {named or 'a target'}.", "See `fairtexel sort`.")
    return chosen


def _prepare(
    arrival: SortedFolder, arranged: Arrangement, here: SetHere, target: Target, scratch: Path
) -> tuple[Parcel | None, list[Finding]]:
    """A set's outputs, built and encoded in `scratch`; None when one of them cannot be made."""
    ledger, code = here.ledger, here.code
    plan = plan_build(ledger, target, arrival.files, arranged.code, code)
    findings = list(arranged.findings(here, target, plan, arrival))
    if here.missing or any(planned.problem for planned in plan.outputs):
        return None, findings
    sources = in_folder(arrival.files, arrival.folder)
    encoded = []
    with Progress(ledger.name) as progress:
        made = make_outputs(plan, sources, scratch, lambda share, doing: progress.show(share * 0.3, doing))
        for index, item in enumerate(made):
            name = item.planned.file_name

            def tell(share: float, index: int = index, name: str = name) -> None:
                progress.show(0.3 + 0.7 * (index + share) / len(made), f"encoding {name}")

            proved = prove(item.planned, partial(read, item.path), tell, os.cpu_count() or 1)
            path = item.path.with_suffix(".dds")
            write_whole(path, lambda part, dds=proved.dds: _write_bytes(part, dds))  # type: ignore[misc]
            encoded.append(Encoded(item.planned, path.read_bytes, proved.figures, item.path.read_bytes))
            findings += judge(proved.figures, arranged.tolerances, name)
    probes = take_probes(ledger, sources, plan)
    return Parcel(ledger.name, code, plan, arrival.files, encoded, probes), list(worst_first(findings))


def _write_bytes(path: Path, data: bytes) -> None:
    path.write_bytes(data)


def _dress(parcel: Parcel, held: Mapping[str, SetMaps], target: Target, arranged: Arrangement) -> list[Dressed]:
    """The variants of a set, with their layers bound to the sets of the same delivery."""
    pairs = arranged.dressed(parcel.code)
    if arranged.document is None:
        master = shipped_masters()[USUAL_MASTER]
        pairs = [(Variant(name=parcel.name, master=master.name, version=master.version, set=parcel.code), master)]
    return [Dressed(variant, master, bind_variant(variant, master, target, held), parcel.code) for variant, master in pairs]


def _print_parcel(parcel: Parcel) -> None:
    print(parcel.name)
    for output in parcel.outputs:
        figures = output.figures
        flag = "sRGB" if figures.storage.srgb else "linear"
        size = f"{figures.width}×{figures.height}"
        memory = f"{figures.memory / 1e6:.2f} MB"
        name = Path(output.planned.file_name).with_suffix(".dds").name
        print(f"  {name:<34} {size:<10} {figures.storage.format.upper()} {flag}  {memory}  {said_of(figures)}")


def said_of(figures: Figures) -> str:
    """A proof's main figures in one line."""
    said = []
    if figures.normal:
        said.append(f"turns {figures.normal.mean:.2f}° (95 %: {figures.normal.p95:.2f}°, worst {figures.normal.worst:.1f}°)")
    for colour in figures.colours:
        psnr = "nothing lost" if colour.psnr is None else f"{colour.psnr:.1f} dB"
        said.append(f"{psnr}, ΔE {colour.delta_mean:.2f}")
    said += [f"{entry.channel} {entry.mean:.2f} (worst {entry.worst:.0f})" for entry in figures.data]
    return "; ".join(said)


def _print_receipt(receipt: Receipt) -> None:
    print(f"Receipt for {receipt.target}: {len(receipt.read)} textures read, {'holds' if receipt.holds else 'does not hold'}")
    for prop in receipt.properties:
        glyph = "✓" if prop.holds else "✕"
        said = f"{prop.mean:.2f} {prop.unit} (worst {prop.worst:.1f}) {prop.reading}"
        print(f"  {glyph} {prop.set} {prop.property}: {said}".rstrip())
    for finding in receipt.findings:
        print(f"  {GLYPHS[finding.severity]} {finding.subject} {finding.message} {finding.way_out}")
