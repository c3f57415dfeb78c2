// The table of texture formats, as src/texelcore/surface/formats.py has it. Written by tools/client.

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

export type TextureFormat = 'bc1' | 'bc3' | 'bc4' | 'bc5' | 'bc7' | 'r8' | 'rg8' | 'rgba8' | 'r16' | 'rgba16' | 'r16f' | 'rgba16f' | 'r32f' | 'rgba32f';

export const FORMATS: Record<TextureFormat, Format> = {
  "bc1": {
    "title": "BC1",
    "block": [
      4,
      4
    ],
    "unit": 8,
    "channels": "RGB",
    "sample": "u8",
    "takes": [
      "u8",
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_BC1_RGB_UNORM_BLOCK",
      "dxgi": 71,
      "webgl": 33776,
      "extension": "WEBGL_compressed_texture_s3tc"
    },
    "srgb": {
      "khronos": "VK_FORMAT_BC1_RGB_SRGB_BLOCK",
      "dxgi": 72,
      "webgl": 35916,
      "extension": "WEBGL_compressed_texture_s3tc_srgb"
    }
  },
  "bc3": {
    "title": "BC3",
    "block": [
      4,
      4
    ],
    "unit": 16,
    "channels": "RGBA",
    "sample": "u8",
    "takes": [
      "u8",
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_BC3_UNORM_BLOCK",
      "dxgi": 77,
      "webgl": 33779,
      "extension": "WEBGL_compressed_texture_s3tc"
    },
    "srgb": {
      "khronos": "VK_FORMAT_BC3_SRGB_BLOCK",
      "dxgi": 78,
      "webgl": 35919,
      "extension": "WEBGL_compressed_texture_s3tc_srgb"
    }
  },
  "bc4": {
    "title": "BC4",
    "block": [
      4,
      4
    ],
    "unit": 8,
    "channels": "R",
    "sample": "u8",
    "takes": [
      "u8",
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_BC4_UNORM_BLOCK",
      "dxgi": 80,
      "webgl": 36283,
      "extension": "EXT_texture_compression_rgtc"
    },
    "srgb": null
  },
  "bc5": {
    "title": "BC5",
    "block": [
      4,
      4
    ],
    "unit": 16,
    "channels": "RG",
    "sample": "u8",
    "takes": [
      "u8",
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_BC5_UNORM_BLOCK",
      "dxgi": 83,
      "webgl": 36285,
      "extension": "EXT_texture_compression_rgtc"
    },
    "srgb": null
  },
  "bc7": {
    "title": "BC7",
    "block": [
      4,
      4
    ],
    "unit": 16,
    "channels": "RGBA",
    "sample": "u8",
    "takes": [
      "u8",
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_BC7_UNORM_BLOCK",
      "dxgi": 98,
      "webgl": 36492,
      "extension": "EXT_texture_compression_bptc"
    },
    "srgb": {
      "khronos": "VK_FORMAT_BC7_SRGB_BLOCK",
      "dxgi": 99,
      "webgl": 36493,
      "extension": "EXT_texture_compression_bptc"
    }
  },
  "r8": {
    "title": "R8",
    "block": [
      1,
      1
    ],
    "unit": 1,
    "channels": "R",
    "sample": "u8",
    "takes": [
      "u8"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R8_UNORM",
      "dxgi": 61,
      "webgl": 33321,
      "extension": ""
    },
    "srgb": null
  },
  "rg8": {
    "title": "RG8",
    "block": [
      1,
      1
    ],
    "unit": 2,
    "channels": "RG",
    "sample": "u8",
    "takes": [
      "u8"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R8G8_UNORM",
      "dxgi": 49,
      "webgl": 33323,
      "extension": ""
    },
    "srgb": null
  },
  "rgba8": {
    "title": "RGBA8",
    "block": [
      1,
      1
    ],
    "unit": 4,
    "channels": "RGBA",
    "sample": "u8",
    "takes": [
      "u8"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R8G8B8A8_UNORM",
      "dxgi": 28,
      "webgl": 32856,
      "extension": ""
    },
    "srgb": {
      "khronos": "VK_FORMAT_R8G8B8A8_SRGB",
      "dxgi": 29,
      "webgl": 35907,
      "extension": ""
    }
  },
  "r16": {
    "title": "R16",
    "block": [
      1,
      1
    ],
    "unit": 2,
    "channels": "R",
    "sample": "u16",
    "takes": [
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R16_UNORM",
      "dxgi": 56,
      "webgl": 33325,
      "extension": ""
    },
    "srgb": null
  },
  "rgba16": {
    "title": "RGBA16",
    "block": [
      1,
      1
    ],
    "unit": 8,
    "channels": "RGBA",
    "sample": "u16",
    "takes": [
      "u16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R16G16B16A16_UNORM",
      "dxgi": 11,
      "webgl": 34842,
      "extension": ""
    },
    "srgb": null
  },
  "r16f": {
    "title": "R16F",
    "block": [
      1,
      1
    ],
    "unit": 2,
    "channels": "R",
    "sample": "f16",
    "takes": [
      "f16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R16_SFLOAT",
      "dxgi": 54,
      "webgl": 33325,
      "extension": ""
    },
    "srgb": null
  },
  "rgba16f": {
    "title": "RGBA16F",
    "block": [
      1,
      1
    ],
    "unit": 8,
    "channels": "RGBA",
    "sample": "f16",
    "takes": [
      "f16"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R16G16B16A16_SFLOAT",
      "dxgi": 10,
      "webgl": 34842,
      "extension": ""
    },
    "srgb": null
  },
  "r32f": {
    "title": "R32F",
    "block": [
      1,
      1
    ],
    "unit": 4,
    "channels": "R",
    "sample": "f32",
    "takes": [
      "f32"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R32_SFLOAT",
      "dxgi": 41,
      "webgl": 33325,
      "extension": ""
    },
    "srgb": null
  },
  "rgba32f": {
    "title": "RGBA32F",
    "block": [
      1,
      1
    ],
    "unit": 16,
    "channels": "RGBA",
    "sample": "f32",
    "takes": [
      "f32"
    ],
    "linear": {
      "khronos": "VK_FORMAT_R32G32B32A32_SFLOAT",
      "dxgi": 2,
      "webgl": 34842,
      "extension": ""
    },
    "srgb": null
  }
};
