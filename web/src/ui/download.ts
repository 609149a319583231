/** Hands a text to the browser as a file of a name. */
export function saveText(name: string, text: string, type = "application/json") {
  const a = document.createElement("a");
  a.href = URL.createObjectURL(new Blob([text], { type }));
  a.download = name.replace(/[/\\]/g, "_");
  a.click();
  URL.revokeObjectURL(a.href);
}
