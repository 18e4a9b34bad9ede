/** Files as a person chooses or drops them: which are footage, and where they lie. */

const ENDINGS = /\.(exr|dpx|tiff?|png|jpe?g|mov|mp4|m4v|mkv|webm|avi|mxf|ts|mts|m2ts|mpe?g|gif|ogv|dv|nut|y4m)$/i;

/** Whether a name ends as pictures or clips do; the server looks at the bytes. */
export function isFootage(name: string): boolean {
  return ENDINGS.test(name) && !name.startsWith(".");
}

/** Where a file of a drop or of a chosen folder lies: folders and name, with `/` between. */
const paths = new WeakMap<File, string>();

export function pathOf(file: File): string {
  return paths.get(file) ?? (file.webkitRelativePath || file.name);
}

/** All files of a drop, those inside folders too. */
export async function filesOf(drop: DataTransfer): Promise<File[]> {
  // Entries have to be taken before the first await: the list is empty afterwards.
  const entries = [...drop.items].map((i) => i.webkitGetAsEntry()).filter((e) => e !== null);
  if (entries.length === 0) return [...drop.files];
  return (await Promise.all(entries.map(walk))).flat();
}

async function walk(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    paths.set(file, entry.fullPath.replace(/^\//, ""));
    return [file];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: File[] = [];
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (some.length === 0) return found;
    for (const e of some) found.push(...(await walk(e)));
  }
}
