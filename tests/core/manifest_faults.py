"""Faults in what a delivery says of itself, and in what lies beside its textures."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from .faults import Delivery, Fault, Json


def in_manifest(edit: Callable[[Json, Json], object]) -> Callable[[Delivery], bool]:
    """`edit` takes the manifest and its first set; False from it says that there is nothing to change."""

    def plant(delivery: Delivery) -> bool:
        before = json.dumps(delivery.manifest)
        return edit(delivery.manifest, delivery.set) is not False and json.dumps(delivery.manifest) != before

    return plant


def in_output(**change: Any) -> Callable[[Delivery], bool]:
    """Fields of the first output become others; a function makes the new value of the old."""

    def edit(manifest: Json, entry: Json) -> None:
        output = entry["outputs"][0]
        for field_name, value in change.items():
            output[field_name] = value(output[field_name]) if callable(value) else value

    return in_manifest(edit)


def in_channel(**change: Any) -> Callable[[Delivery], bool]:
    return in_output(channels=lambda channels: [channels[0] | _called(change, channels[0]), *channels[1:]])


def in_import(**change: Any) -> Callable[[Delivery], bool]:
    return in_output(import_settings=lambda told: told | _called(change, told))


def _called(change: Json, old: Json) -> Json:
    return {key: value(old[key]) if callable(value) else value for key, value in change.items()}


def in_document(which: str, edit: Callable[[Json], object]) -> Callable[[Delivery], bool]:
    """A JSON document of the delivery: probes, variant or master."""

    def plant(delivery: Delivery) -> bool:
        if which == "probes":
            path = delivery.folder / delivery.set["probes"]["file"]
        else:
            entry = next(iter(delivery.manifest["variants"]), None)
            if entry is None:
                return False
            path = delivery.folder / entry["file" if which == "variant" else "master_file"]["file"]
        body = json.loads(path.read_text())
        before = json.dumps(body)
        if edit(body) is False or json.dumps(body) == before:
            return False
        path.write_text(json.dumps(body))
        return True

    return plant


def in_folder(edit: Callable[[Delivery], object], keeps_hashes: bool = False) -> Callable[[Delivery], bool]:
    def plant(delivery: Delivery) -> bool:
        delivery.keeps_hashes = keeps_hashes
        return edit(delivery) is not False

    return plant


def remove(path: Path) -> None:
    path.unlink()


def renamed(change: Callable[[Path], Path]) -> Callable[[Delivery], object]:
    """A texture's file lies elsewhere, and the manifest says so."""

    def edit(delivery: Delivery) -> object:
        file = delivery.set["outputs"][0]["file"]
        old = Path(file["file"])
        new = change(old)
        (delivery.folder / new).parent.mkdir(parents=True, exist_ok=True)
        (delivery.folder / old).rename(delivery.folder / new)
        file["file"] = str(new)
        return new != old

    return edit


def swap_files(delivery: Delivery) -> object:
    outputs = delivery.set["outputs"]
    if len(outputs) < 2:
        return False
    outputs[0]["file"], outputs[1]["file"] = outputs[1]["file"], outputs[0]["file"]
    return None


def swap_bindings(manifest: Json, entry: Json) -> object:
    textures = manifest["variants"][0]["textures"]
    bound = [name for name, chip in textures.items() if chip]
    if len(bound) < 3:
        return False
    textures[bound[1]], textures[bound[2]] = textures[bound[2]], textures[bound[1]]
    return None


def each(entry: Json, edit: Callable[[Json], object]) -> None:
    for output in entry["outputs"]:
        edit(output)


def values_of(body: Json) -> list[str]:
    return list(body["values"])


SET, FILE, PROBES, VARIANT = r"^[a-z0-9_]+$", r"\.dds$|\.png$|\.tif$|\.exr$|\.jpg$", r"\.probes\.json$", r"\.variant\.json$"
WHOLE = r"^The delivery$|^delivery\.json$"
MANIFEST: list[Fault] = [
    Fault("made for another target", in_manifest(lambda m, e: m.update(target="elsewhere")), WHOLE, "made for elsewhere"),
    Fault("made for another version", in_manifest(lambda m, e: m.update(target_version=99)), WHOLE, "v99"),
    Fault(
        "of another normal direction",
        in_manifest(lambda m, e: m.update(normal_y="-Y" if m["normal_y"] == "+Y" else "+Y")),
        WHOLE,
        "says that normals are",
    ),
    Fault("of a direction that is none", in_manifest(lambda m, e: m.update(normal_y="up")), WHOLE, "normal_y"),
    Fault("of a newer format", in_manifest(lambda m, e: m.update(version=7)), WHOLE, "version"),
    Fault("of version 1", in_manifest(lambda m, e: m.update(version=1)), WHOLE, "before losses"),
    Fault("with a field too many", in_manifest(lambda m, e: m.update(extra=1)), WHOLE, "extra"),
    Fault("without sets", in_manifest(lambda m, e: m.update(sets=[])), WHOLE, "no set at all"),
    Fault("with a set twice", in_manifest(lambda m, e: m["sets"].append(e)), SET, "is the code of 2 sets"),
    Fault("a set under another code", in_manifest(lambda m, e: e.update(code="other")), VARIANT, "not in the delivery"),
    Fault("a set under another name", in_manifest(lambda m, e: e.update(name="Other")), PROBES, "not of Other"),
    Fault("an output removed", in_manifest(lambda m, e: e["outputs"].pop(0)), SET, "has no "),
    Fault("no outputs", in_manifest(lambda m, e: e.update(outputs=[])), SET, "has no "),
    Fault("an output twice", in_manifest(lambda m, e: e["outputs"].append(e["outputs"][0])), SET, "has 2 outputs called"),
    Fault("an output of no target", in_output(key="unheard_of"), FILE, "asks for no"),
    Fault("an output under another title", in_output(title="Something"), FILE, "the title Something"),
    Fault("twice the width", in_output(width=lambda old: old * 2), FILE, "not what the manifest says"),
    Fault("half the height", in_output(height=lambda old: max(1, old // 2)), FILE, "not what the manifest says"),
    Fault("a size of nothing", in_output(width=0), FILE, "0 × "),
    Fault("a size beyond all", in_output(width=10**6), FILE, "1000000 × "),
    Fault("a level more", in_output(levels=lambda old: old + 1), FILE, "levels"),
    Fault("one level", in_output(levels=lambda old: 1 if old > 1 else 2), FILE, "levels"),
    Fault("twice the memory", in_output(memory=lambda old: old * 2), FILE, "is said to take .* bytes"),
    Fault("fewer bits", in_output(bits_per_texel=1.0), FILE, "1 bits a texel"),
    Fault("another format", in_output(format=lambda old: "bc3" if old != "bc3" else "bc7"), FILE, "format|bits a texel|importer"),
    Fault("another number", in_output(dxgi=30), FILE, "DXGI format 30"),
    Fault("another encoding", in_output(encoding=lambda old: "linear" if old == "srgb" else "srgb"), FILE, "the encoding"),
    Fault("another flag", in_output(srgb=lambda old: not old), FILE, "flagged sRGB|sRGB flag"),
    Fault("another container", in_output(container=lambda old: "png" if old != "png" else "dds"), FILE, "the container"),
    Fault("no channels", in_output(channels=[]), FILE, "channels"),
    Fault("a channel fewer", in_output(channels=lambda old: old[1:]), FILE, "has the channels"),
    Fault("a channel twice", in_output(channels=lambda old: [*old, old[0]]), FILE, "has the channels"),
    Fault(
        "channels in each other's place",
        in_output(
            channels=lambda old: [old[0] | {"channel": old[-1]["channel"]}, *old[1:-1], old[-1] | {"channel": old[0]["channel"]}]
        ),
        FILE,
        "means something else",
    ),
    Fault("another property", in_channel(property="clear_coat"), FILE, "means something else"),
    Fault("another component", in_channel(component=lambda old: old + 1), FILE, "means something else"),
    Fault("an inversion", in_channel(inverted=lambda old: not old), FILE, "means something else"),
    Fault("another meaning", in_channel(meaning="Shine"), FILE, "Shine"),
    Fault("another range", in_channel(high=4.0), FILE, "is said to hold 0 to 4"),
    Fault("a range that goes down", in_channel(low=2.0), FILE, "hold 2 to 1|from 2 to 1"),
    Fault("a multiplication", in_channel(multiplied_by="occlusion"), FILE, "multiplied by occlusion"),
    Fault("another strength", in_channel(strength=0.25), FILE, "strength 0.25"),
    Fault("a constant", in_channel(constant=0.5), FILE, "means something else"),
    Fault("the importer told another flag", in_import(srgb=lambda old: not old), FILE, "importer the sRGB flag"),
    Fault(
        "the importer told another format",
        in_import(format=lambda old: "bc4" if old != "bc4" else "bc7"),
        FILE,
        "importer the format",
    ),
    Fault(
        "the importer told of mips",
        in_import(mips=lambda old: "none" if old != "none" else "as delivered"),
        FILE,
        "importer the mips",
    ),
    Fault(
        "the importer told of a direction",
        in_import(normal_y=lambda old: "+Y" if old != "+Y" else "-Y"),
        FILE,
        "importer the normal direction",
    ),
    Fault("the importer told to recompress", in_import(recompress=True), WHOLE, "recompress"),
    Fault(
        "the importer told of blending",
        in_import(alpha_mode=lambda old: "blended" if old != "blended" else "none"),
        FILE,
        "importer the alpha mode",
    ),
    Fault("the importer told of a threshold", in_import(threshold=0.9), FILE, "importer the threshold"),
    Fault("no losses", in_output(losses=[]), r".", "away from what was meant|does not say"),
    Fault(
        "ten times the losses",
        in_manifest(
            lambda m, e: each(
                e, lambda o: [loss.update(mean=loss["mean"] * 10 + 5, p95=loss["p95"] * 10 + 9) for loss in o["losses"]]
            )
        ),
        SET,
        "where the sender lost",
    ),
    Fault(
        "losses of nothing",
        in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=0, p95=0) for loss in o["losses"]])),
        SET,
        "where the sender lost 0",
    ),
    Fault(
        "losses without end",
        in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=float("inf")) for loss in o["losses"]])),
        WHOLE,
        "losses",
    ),
    Fault(
        "losses below nothing",
        in_manifest(lambda m, e: each(e, lambda o: [loss.update(mean=-1) for loss in o["losses"]])),
        WHOLE,
        "losses",
    ),
    Fault("no losses of levels", in_output(chain=[]), FILE, "what every level"),
    Fault(
        "losses of levels without end",
        in_manifest(lambda m, e: each(e, lambda o: [part.update(mean=part["mean"] + 90) for part in o["chain"]])),
        FILE,
        "level 1 ",
    ),
    Fault("a source unnamed", in_manifest(lambda m, e: e["sources"].pop(0)), SET, "not among its sources"),
    Fault("no sources", in_manifest(lambda m, e: e.update(sources=[])), SET, "not among its sources"),
    Fault(
        "a source too many",
        in_manifest(lambda m, e: e["sources"].append(e["sources"][0] | {"name": "stray.png"})),
        SET,
        "stray.png",
    ),
    Fault("a source twice", in_manifest(lambda m, e: e["sources"].append(e["sources"][0])), SET, "2 times"),
    Fault("a source of no hash", in_manifest(lambda m, e: e["sources"][0].update(sha256="abc")), SET, "size or hash"),
    Fault("a source of no size", in_manifest(lambda m, e: e["sources"][0].update(bytes=0)), SET, "size or hash"),
    Fault(
        "a file in other letters",
        in_folder(renamed(lambda old: old.with_stem(old.stem.swapcase()))),
        FILE,
        "should be called",
    ),
    Fault("a file of another name", in_folder(renamed(lambda old: old.with_stem(f"{old.stem}2"))), FILE, "should be called"),
    Fault("a file in another folder", in_folder(renamed(lambda old: Path("elsewhere", old.name))), FILE, "should be called"),
    Fault("files swapped", in_folder(swap_files), FILE, "manifest says|flagged|ending"),
    Fault("a file outside", in_output(file=lambda old: old | {"file": "../../x.dds"}), r"x\.dds", "outside"),
    Fault(
        "a file with another hash",
        in_folder(lambda d: d.set["outputs"][0]["file"].update(sha256="0" * 64), True),
        FILE,
        "manifest's hash",
    ),
    Fault("a file of no hash", in_folder(lambda d: d.set["outputs"][0]["file"].update(sha256="?"), True), FILE, "size or hash"),
    Fault(
        "a file with another size",
        in_folder(lambda d: d.set["outputs"][0]["file"].update(bytes=7), True),
        FILE,
        "manifest's hash",
    ),
    Fault("a file missing", in_folder(lambda d: remove(d.path(d.set["outputs"][0]))), FILE, "is missing"),
    Fault(
        "a file too many", in_folder(lambda d: (d.folder / "extra.dds").write_bytes(b"x")), r"extra\.dds", "not in the manifest"
    ),
    Fault(
        "one file for two outputs",
        in_manifest(lambda m, e: e["outputs"][-1].update(file=e["outputs"][0]["file"]) if len(e["outputs"]) > 1 else False),
        FILE,
        "stands for 2 things",
    ),
    Fault("probes missing", in_folder(lambda d: remove(d.folder / d.set["probes"]["file"])), PROBES, "is missing"),
    Fault(
        "probes empty",
        in_folder(lambda d: (d.folder / d.set["probes"]["file"]).write_text("{}")),
        PROBES,
        "no document of probes",
    ),
    Fault(
        "probes no JSON",
        in_folder(lambda d: (d.folder / d.set["probes"]["file"]).write_text("[1")),
        PROBES,
        "no document of probes",
    ),
    Fault("half the points", in_document("probes", lambda b: b.update(points=b["points"][:256])), PROBES, "points of its own"),
    Fault("no points", in_document("probes", lambda b: b.update(points=[])), PROBES, "points of its own"),
    Fault(
        "points elsewhere",
        in_document("probes", lambda b: b.update(points=[[0.5, 0.5]] * len(b["points"]))),
        PROBES,
        "points of its own",
    ),
    Fault(
        "values short",
        in_document("probes", lambda b: b["values"].update({values_of(b)[0]: b["values"][values_of(b)[0]][:9]})),
        PROBES,
        "at each of 512",
    ),
    Fault(
        "values without end",
        in_document("probes", lambda b: b["values"][values_of(b)[0]].__setitem__(3, [float("inf")] * 3)),
        PROBES,
        "no document of probes",
    ),
    Fault(
        "values that are no numbers",
        in_document("probes", lambda b: b["values"][values_of(b)[0]].__setitem__(3, [float("nan")] * 3)),
        PROBES,
        "no document of probes",
    ),
    Fault(
        "a property unprobed", in_document("probes", lambda b: b["values"].pop("base_colour")), PROBES, "no values of base_colour"
    ),
    Fault("no values", in_document("probes", lambda b: b.update(values={})), PROBES, "no values of"),
    Fault(
        "values of no property",
        in_document("probes", lambda b: b["values"].update(shine=b["values"]["base_colour"])),
        PROBES,
        "no surface property",
    ),
    Fault(
        "values of another surface",
        in_document("probes", lambda b: b["values"].update(base_colour=b["values"]["base_colour"][::-1])),
        SET,
        "Base colour in .* away",
    ),
    Fault("no cells", in_document("probes", lambda b: b.update(cells={})), PROBES, "no cells of"),
    Fault(
        "cells of no values",
        in_document("probes", lambda b: b["cells"].update(shine=b["cells"]["base_colour"])),
        PROBES,
        "cells of shine",
    ),
    Fault(
        "cells damaged",
        in_document("probes", lambda b: b["cells"]["base_colour"].update(data=b["cells"]["base_colour"]["data"][:40])),
        PROBES,
        "that are damaged",
    ),
    Fault(
        "cells of another grid",
        in_document("probes", lambda b: b["cells"]["base_colour"].update(rows=3)),
        PROBES,
        "that are damaged",
    ),
    Fault(
        "a variant of another set",
        in_manifest(lambda m, e: m["variants"][0].update(set="nowhere")),
        VARIANT,
        "not in the delivery",
    ),
    Fault(
        "a variant of another name", in_manifest(lambda m, e: m["variants"][0].update(name="Other")), VARIANT, "of its variant"
    ),
    Fault("a variant twice", in_manifest(lambda m, e: m["variants"].append(m["variants"][0])), VARIANT, "another variant called"),
    Fault(
        "a variant of another master",
        in_manifest(lambda m, e: m["variants"][0].update(master="other")),
        r"\.json$",
        "the manifest says other",
    ),
    Fault("a variant of a newer master", in_manifest(lambda m, e: m["variants"][0].update(version=42)), r"\.json$", "42"),
    Fault(
        "a texture unbound",
        in_manifest(lambda m, e: m["variants"][0]["textures"].update({"colour map": None})),
        VARIANT,
        "binds colour map to nothing",
    ),
    Fault(
        "a texture bound elsewhere",
        in_manifest(lambda m, e: m["variants"][0]["textures"].update({"colour map": "moon.rgb"})),
        VARIANT,
        "binds colour map to moon",
    ),
    Fault("two textures swapped", in_manifest(swap_bindings), VARIANT, "it lies in"),
    Fault(
        "a texture of no master",
        in_manifest(lambda m, e: m["variants"][0]["textures"].update({"rust map": None})),
        VARIANT,
        "rust map is no texture",
    ),
    Fault(
        "a texture forgotten",
        in_manifest(lambda m, e: m["variants"][0]["textures"].pop("normal map")),
        VARIANT,
        "normal map .* not bound",
    ),
    Fault(
        "a parameter of no master",
        in_document("variant", lambda b: b["values"].update(rust=1.0)),
        VARIANT,
        "rust is no parameter",
    ),
    Fault(
        "a parameter out of range",
        in_document("variant", lambda b: b["values"].update(tiling=-5.0)),
        VARIANT,
        "cannot be evaluated",
    ),
    Fault(
        "a parameter of another kind",
        in_document("variant", lambda b: b["values"].update(tint=True)),
        VARIANT,
        "cannot be evaluated",
    ),
    Fault(
        "another tint", in_document("variant", lambda b: b["values"].update(tint=[0.2, 0.9, 0.1])), VARIANT, "makes base colour"
    ),
    Fault(
        "a variant that says another master", in_document("variant", lambda b: b.update(master="other")), VARIANT, "of its master"
    ),
    Fault("a variant that says another set", in_document("variant", lambda b: b.update(set="other")), VARIANT, "of its set"),
    Fault("a variant that is none", in_document("variant", lambda b: b.clear()), VARIANT, "can be read"),
    Fault("a variant file missing", in_folder(lambda d: remove(next(d.folder.rglob("*.variant.json")))), VARIANT, "is missing"),
    Fault(
        "a master file missing",
        in_folder(lambda d: remove(next(d.folder.rglob("*.master.json")))),
        r"\.master\.json",
        "is missing",
    ),
    Fault(
        "another operation in the master",
        in_document(
            "master",
            lambda b: next(strand for strand in b["strands"] if strand["operation"] == "multiply").update(operation="add"),
        ),
        VARIANT,
        "makes |cannot be evaluated",
    ),
    Fault(
        "a strand fewer in the master", in_document("master", lambda b: b["strands"].pop()), VARIANT, "cannot be evaluated|makes"
    ),
    Fault(
        "a default changed in the master",
        in_document(
            "master", lambda b: next(part for part in b["parameters"] if part["kind"] == "colour").update(default=[0.1, 0.1, 0.1])
        ),
        VARIANT,
        "makes base colour",
    ),
    Fault("a newer master", in_document("master", lambda b: b.update(version=9)), r"\.master\.json", "v9"),
    Fault(
        "a surface that was not meant",
        in_manifest(lambda m, e: m["variants"][0]["surface"].update(roughness=[0.123])),
        VARIANT,
        "makes roughness",
    ),
]
