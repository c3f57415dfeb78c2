"""Print what is written of the server's by `tools/client` and nowhere by hand: its tables as the page's TypeScript (`formats`,
`deeds`), and the schemas of its documents (`delivery`, `target`, `project`, `house-rules`)."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from functools import partial
from typing import Literal

from pydantic import BaseModel

from texelcore.delivery.documents import DeliveryManifest
from texelcore.naming.rules import HouseRules
from texelcore.project.document import ProjectDocument
from texelcore.surface.formats import FORMATS
from texelcore.targets.document import Target
from texelweb.record.kinds import KINDS

HEAD = """// The table of texture formats, as src/texelcore/surface/formats.py has it. Written by tools/client.

/** What others know a format by, read as it is stored or as sRGB. `webgl` is the internal format that it is uploaded as. */
export interface Names {
  khronos: string;
  dxgi: number;
  webgl: number;
  extension: string;
}

export interface Format {
  title: string;
  /** A block's width and height in texels; 1 × 1 for plain formats. */
  block: [wide: number, high: number];
  /** Bytes of a block. */
  unit: number;
  channels: string;
  sample: 'u8' | 'u16' | 'f16' | 'f32';
  /** The samples of pictures that it stores. */
  takes: string[];
  linear: Names;
  srgb: Names | null;
}
"""


def formats() -> str:
    """The table of texture formats."""
    rows = {key: {name: value for name, value in asdict(form).items() if name != "key"} for key, form in FORMATS.items()}
    keys = " | ".join(f"'{key}'" for key in rows)
    table = f"export const FORMATS: Record<TextureFormat, Format> = {json.dumps(rows, indent=2)};"
    return f"{HEAD}\nexport type TextureFormat = {keys};\n\n{table}"


def deeds() -> str:
    """The kinds of deeds on record."""
    said = "// The kinds of deeds on record, as src/texelweb/record/kinds.py has them. Written by tools/client."
    return f"{said}\n\nexport const DEEDS = {json.dumps([asdict(kind) for kind in KINDS.values()], indent=2)} as const;"


def schema(model: type[BaseModel], mode: Literal["validation", "serialization"] = "validation") -> str:
    """The JSON schema that is published for a document."""
    return json.dumps(model.model_json_schema(mode=mode), indent=2, ensure_ascii=False)


WRITTEN = {
    "formats": formats,
    "deeds": deeds,
    # What others read, and what they write by hand.
    "delivery": partial(schema, DeliveryManifest, "serialization"),
    "house-rules": partial(schema, HouseRules, "serialization"),
    "target": partial(schema, Target),
    "project": partial(schema, ProjectDocument),
}
print(WRITTEN[sys.argv[1]]())
