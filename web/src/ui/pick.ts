/**
 * Asks for one file.
 *
 * @param accept - endings and kinds that are offered, as for an input of files; all where it is empty.
 */
export function pickFile(accept: string, then: (file: File) => void) {
  const picker = document.createElement("input");
  picker.type = "file";
  picker.accept = accept;
  picker.onchange = () => {
    const f = picker.files?.[0];
    if (f) then(f);
  };
  picker.click();
}
