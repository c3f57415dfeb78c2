"""Print the table of texture formats as the page's TypeScript: written by `tools/client`, and nowhere by hand."""

from __future__ import annotations

import json
from dataclasses import asdict

from texelcore.surface.formats import FORMATS

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

rows = {key: {name: value for name, value in asdict(form).items() if name != "key"} for key, form in FORMATS.items()}
keys = " | ".join(f"'{key}'" for key in rows)
print(HEAD)
print(f"export type TextureFormat = {keys};\n")
print(f"export const FORMATS: Record<TextureFormat, Format> = {json.dumps(rows, indent=2)};")
