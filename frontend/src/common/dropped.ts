/** What was dropped on a page: all its files, those in folders too, and the name of the one folder where it was one. */
export async function droppedFiles(data: DataTransfer): Promise<{ files: File[]; folder: string }> {
  // both are gone once this has waited
  const entries = [...data.items].map((item) => item.webkitGetAsEntry?.() ?? null)
  const plain = [...data.files]
  const inFolders = entries.some((entry) => entry?.isDirectory)
  const folder = entries.length === 1 && entries[0]?.isDirectory ? entries[0].name : ''
  return { files: inFolders ? (await Promise.all(entries.map(filesIn))).flat() : plain, folder }
}

/** Every file of a dropped folder, its folders' too. */
async function filesIn(entry: FileSystemEntry | null): Promise<File[]> {
  if (entry === null) return []
  if (entry.isFile) return new Promise((give) => (entry as FileSystemFileEntry).file((file) => give([file]), () => give([])))
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  const found: FileSystemEntry[] = []
  for (;;) {
    // a reader gives at most a hundred at a time
    const some = await new Promise<FileSystemEntry[]>((give) => reader.readEntries(give, () => give([])))
    if (!some.length) break
    found.push(...some)
  }
  return (await Promise.all(found.map(filesIn))).flat()
}
