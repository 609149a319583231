/** Hands a text to the browser as a file of a name. */
export function saveText(name: string, text: string, type = "application/json") {
  saveFile(name, new Blob([text], { type }));
}

/** Hands a file to the browser under a name. */
export function saveFile(name: string, file: Blob) {
  const a = document.createElement("a");
  a.href = URL.createObjectURL(file);
  a.download = name.replace(/[/\\]/g, "_");
  a.click();
  URL.revokeObjectURL(a.href);
}
