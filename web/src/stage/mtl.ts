// The materials that lie beside an OBJ: colours, as far as an MTL says them in plain words.
import * as THREE from 'three';

/** A material of which no more is known than its name. */
export function nameOnly(name: string): THREE.Material {
  const made = new THREE.Material();
  made.name = name;
  return made;
}

/** What an MTL says of colours: Kd, Ke, d or Tr, and Pr and Pm of its extension for physically based materials; of older ones the
 * exponent Ns is turned into a roughness (common practice: √(2 ∕ (Ns + 2))). */
export function materialsOf(text: string): Map<string, THREE.Material> {
  const found = new Map<string, THREE.MeshStandardMaterial>();
  let now: THREE.MeshStandardMaterial | null = null;
  for (const line of text.split(/\r?\n/)) {
    const [key = '', ...words] = line.trim().split(/\s+/);
    if (key === 'newmtl') {
      now = new THREE.MeshStandardMaterial({ roughness: 0.8, metalness: 0 });
      now.name = words.join(' ');
      found.set(now.name, now);
    }
    const numbers = words.map(Number);
    const [first] = numbers;
    if (!now || first === undefined || !numbers.every(Number.isFinite)) continue;
    const share = Math.max(0, Math.min(1, first));
    const [red = 0, green = red, blue = red] = numbers;
    if (key === 'Kd') now.color.setRGB(red, green, blue, THREE.SRGBColorSpace);
    else if (key === 'Ke') now.emissive.setRGB(red, green, blue, THREE.LinearSRGBColorSpace);
    else if (key === 'Pr') now.roughness = share;
    else if (key === 'Pm') now.metalness = share;
    else if (key === 'Ns' && !/^\s*Pr\s/m.test(text)) now.roughness = Math.sqrt(2 / (Math.max(0, first) + 2));
    else if (key === 'd' || key === 'Tr') {
      now.opacity = key === 'd' ? share : 1 - share;
      now.transparent = now.opacity < 1;
    }
  }
  return found;
}
