"""Print a table of the server's as the page's TypeScript (`formats`, `deeds`): written by `tools/client`, nowhere by hand."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict

from texelcore.surface.formats import FORMATS
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


print({"formats": formats, "deeds": deeds}[sys.argv[1]]())
