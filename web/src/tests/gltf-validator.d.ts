// The Khronos validator brings no types: what is used of it.
declare module 'gltf-validator' {
  export function validateBytes(
    bytes: Uint8Array,
  ): Promise<{ issues: { messages: { severity: number; code: string; message: string }[] } }>;
}
