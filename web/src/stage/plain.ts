// A model as plain numbers: what a worker that reads one hands to the page.

/** Where in its glTF file a part lies: the node that shows it, and which primitive of that node's mesh it is. */
export interface Origin {
  node: number;
  primitive: number;
  /** The point of the file that each corner on the stage is; null where they are in the file's order. */
  corners: Uint32Array<ArrayBuffer> | null;
  /** How many points the file has of it. */
  points: number;
  /** Whether a skeleton or morph targets lean on its points, so that none can be added. */
  bound: boolean;
}

/** A part as numbers: its attributes by name, and which of the materials is its own; −1 for none. */
export interface PlainPart {
  name: string;
  material: string;
  triangles: number;
  own: number;
  /** Null of an OBJ. */
  origin: Origin | null;
  /** Corners of triangles, where parts of them share some. */
  index: Uint32Array<ArrayBuffer> | null;
  attributes: Record<string, { array: Float32Array<ArrayBuffer>; size: number }>;
}

/** A picture that a model brings. Its channel says which set of texture coordinates it lies on. */
export interface PlainPicture {
  bitmap: ImageBitmap;
  srgb: boolean;
  wrap: [number, number];
  channel: number;
}

export const MAPS = ['map', 'normalMap', 'roughnessMap', 'metalnessMap', 'aoMap', 'emissiveMap'] as const;

/** A material that a model brings, in the terms of glTF; `maps` are numbers of pictures. */
export interface PlainMaterial {
  colour: number[];
  roughness: number;
  metallic: number;
  emissive: number[];
  opacity: number;
  blended: boolean;
  cut: number;
  vertexColours: boolean;
  normalScale: number;
  occlusion: number;
  maps: Partial<Record<(typeof MAPS)[number], number>>;
}

export interface PlainModel {
  parts: PlainPart[];
  materials: PlainMaterial[];
  pictures: PlainPicture[];
  triangles: number;
  floor: number;
  /** What its file has in the middle, and how many times as large it is on the stage. */
  middle: [number, number, number];
  scale: number;
  /** How many sets of texture coordinates some part has. */
  sets: number;
  notes: string[];
}

/** How a model is to be read: what lies beside an OBJ, and whether its second set of texture coordinates is looked at. */
export interface Reading {
  mtl: string | null;
  second: boolean;
}
