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
  const found: Placed[] = [];
  for (;;) {
    const entries = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (entries.length === 0 || found.length >= MOST_FILES) return found;
    for (const entry of entries) {
      if (entry.isDirectory) found.push(...(await inside(entry as FileSystemDirectoryEntry)));
      else found.push({ path: entry.fullPath.slice(1), file: await fileOf(entry as FileSystemFileEntry) });
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
  const found: File[] = [];
  for (const entry of entries) if (entry?.isFile) found.push(await fileOf(entry as FileSystemFileEntry));
  for (const folder of folders) {
    const files = await inside(folder);
    if (files.some((f) => f.file.name === 'datapackage.json')) found.push(await packed(folder.name, files));
    else found.push(...files.map((f) => f.file));
  }
  return found;
}
