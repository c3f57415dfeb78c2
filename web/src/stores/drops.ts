// Files that are dropped or chosen: plain files, and folders with everything below them.
export interface Dropped {
  file: File;
  path: string;
}

const HIDDEN = /^(\.|Thumbs\.db$|desktop\.ini$)/;

/** Everything in a drop, folders walked to the bottom. Hidden files stay behind. */
export async function fromDrop(transfer: DataTransfer): Promise<Dropped[]> {
  // Entries must be taken before the first pause: the browser empties the transfer then.
  const entries = [...transfer.items]
    .map((item) => item.webkitGetAsEntry())
    .filter((entry) => entry !== null);
  const lists = await Promise.all(entries.map((entry) => walk(entry)));
  return lists.flat();
}

/** Files from an input; a folder input gives each file's path below the folder's parent. */
export function fromInput(files: FileList): Dropped[] {
  return [...files]
    .filter((file) => !HIDDEN.test(file.name))
    .map((file) => ({ file, path: file.webkitRelativePath || file.name }));
}

async function walk(entry: FileSystemEntry): Promise<Dropped[]> {
  if (HIDDEN.test(entry.name)) return [];
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
    return [{ file, path: entry.fullPath.replace(/^\//, '') }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: FileSystemEntry[] = [];
  // A reader gives at most a hundred entries at a time, and an empty list at the end.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
    if (some.length === 0) break;
    found.push(...some);
  }
  return (await Promise.all(found.map((inner) => walk(inner)))).flat();
}

/** Whether a drag carries files from outside the page. */
export function carriesFiles(event: DragEvent): boolean {
  return event.dataTransfer?.types.includes('Files') ?? false;
}
