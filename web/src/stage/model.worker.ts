// Reads a model beside the page.
import type { Said } from './model';
import type { PlainModel, Reading } from './plain';
import { readModel } from './read';

/** What of a model is handed over and not copied. */
function handed({ parts, pictures }: PlainModel): Transferable[] {
  const arrays = parts.flatMap(({ attributes, index }) => [
    ...Object.values(attributes).map(({ array }) => array.buffer),
    ...(index ? [index.buffer] : []),
  ]);
  return [...new Set<Transferable>([...arrays, ...pictures.map(({ bitmap }) => bitmap)])];
}

self.onmessage = ({ data }: MessageEvent<{ file: Blob; name: string; reading: Reading }>) => {
  const say = (said: Said, transfer: Transferable[] = []) => self.postMessage(said, { transfer });
  readModel(data.file, data.name, data.reading, (doing) => say({ doing })).then(
    (model) => say({ model }, handed(model)),
    (error: unknown) => say({ wrong: error instanceof Error ? error.message : 'cannot be read.' }),
  );
};
