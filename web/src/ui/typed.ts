/** Something that was typed: into which field, and what. */
export type Typed = { field: string; text: string };

const most = 5;
let last: Typed[] = [];

/** What was typed last, the newest first: it may not be kept where the view that it was typed into broke. */
export const typedLast = (): Typed[] => last;

/** Remembers what is typed anywhere, a text a field. Passwords are not. */
export function rememberTyping(page: Document) {
  page.addEventListener("input", ({ target }) => {
    if (!(target instanceof HTMLInputElement || target instanceof HTMLTextAreaElement)) return;
    if (!["text", "search", "textarea", "number", "url"].includes(target.type)) return;
    const field = target.getAttribute("aria-label") ?? target.labels?.[0]?.textContent ?? target.placeholder;
    last = last.filter((t) => t.field !== field);
    if (target.value) last = [{ field, text: target.value }, ...last].slice(0, most);
  });
}
