// Folders that are dropped or chosen: the files in them; a package in a folder is packed into one file, so that it comes whole.
interface Placed {
  path: string;
  file: File;
}

const MOST_FILES = 2000;

/** Files as one .zip, not compressed: the server reads it once. */
export async function packed(name: string, files: Placed[]): Promise<File> {
  const { zipSync } = await import('fflate');
  const entries: Record<string, Uint8Array> = {};
  for (const { path, file } of files.slice(0, MOST_FILES)) entries[path] = new Uint8Array(await file.arrayBuffer());
  return new File([zipSync(entries, { level: 0 }) as BlobPart], `${name}.zip`, { type: 'application/zip' });
}

function fileOf(entry: FileSystemFileEntry): Promise<File> {
  return new Promise((resolve, reject) => entry.file(resolve, reject));
}

/** What a folder holds; a browser hands its entries over a hundred at a time. */
async function inside(folder: FileSystemDirectoryEntry): Promise<Placed[]> {
  const reader = folder.createReader();
  const placed: Placed[] = [];
  for (;;) {
    const entries = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (entries.length === 0 || placed.length >= MOST_FILES) return placed;
    for (const entry of entries) {
      if (entry.isDirectory) placed.push(...(await inside(entry as FileSystemDirectoryEntry)));
      else placed.push({ path: entry.fullPath.slice(1), file: await fileOf(entry as FileSystemFileEntry) });
    }
  }
}

/** The files of a drop: a folder with a datapackage.json comes as one packed file, of other folders the files. */
export async function droppedFiles(data: DataTransfer): Promise<File[]> {
  const plain = [...data.files];
  // Entries are gone after the event; they are asked for at once.
  const entries = [...data.items].map((item) => item.webkitGetAsEntry?.() ?? null);
  const folders = entries.filter((e): e is FileSystemDirectoryEntry => e?.isDirectory === true);
  if (folders.length === 0) return plain;
  const taken: File[] = [];
  for (const entry of entries) if (entry?.isFile) taken.push(await fileOf(entry as FileSystemFileEntry));
  for (const folder of folders) {
    const files = await inside(folder);
    if (files.some((f) => f.file.name === 'datapackage.json')) taken.push(await packed(folder.name, files));
    else taken.push(...files.map((f) => f.file));
  }
  return taken;
}
