import type { Upload } from "../api/client";

/** Hidden files of the system are never part of a survey. */
function wanted(path: string): boolean {
  return !path.split("/").some((part) => part.startsWith("."));
}

export function fromInput(list: FileList | null): Upload[] {
  return [...(list ?? [])]
    .map((file) => ({ file, path: file.webkitRelativePath || file.name }))
    .filter(({ path }) => wanted(path));
}

function readAll(reader: FileSystemDirectoryReader): Promise<FileSystemEntry[]> {
  return new Promise((resolve, reject) => {
    const all: FileSystemEntry[] = [];
    const next = () =>
      reader.readEntries((batch) => {
        // A reader hands out a hundred entries at a time, and an empty batch at the end.
        if (batch.length === 0) resolve(all);
        else {
          all.push(...batch);
          next();
        }
      }, reject);
    next();
  });
}

async function collect(entry: FileSystemEntry, out: Upload[]): Promise<void> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) =>
      (entry as FileSystemFileEntry).file(resolve, reject),
    );
    out.push({ file, path: entry.fullPath.replace(/^\//, "") });
  } else {
    for (const inner of await readAll((entry as FileSystemDirectoryEntry).createReader())) {
      await collect(inner, out);
    }
  }
}

/** Files and whole folders, as they were dropped. */
export async function fromDrop(data: DataTransfer): Promise<Upload[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return fromInput(data.files);
  const out: Upload[] = [];
  for (const entry of entries) await collect(entry, out);
  return out.filter(({ path }) => wanted(path));
}
