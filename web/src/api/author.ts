const MARK = "syntonos-author";
const NAME = "syntonos-author-name";

/** This browser's own mark in the log of changes: what it did it can undo. */
export function authorMark(): string {
  let mark = localStorage.getItem(MARK);
  if (!mark) {
    mark = Array.from({ length: 4 }, () => Math.random().toString(36).slice(2, 8)).join("");
    localStorage.setItem(MARK, mark);
  }
  return mark;
}

/** The name that others see in the log; empty where none was given. */
export const authorName = (): string => localStorage.getItem(NAME) ?? "";
export const setAuthorName = (name: string): void => localStorage.setItem(NAME, name.trim());

/** Headers that say who makes a change; names may be of any script, headers may not. */
export function authorHeaders(): Record<string, string> {
  return {
    "Syntonos-Author": authorMark(),
    "Syntonos-Author-Name": encodeURIComponent(authorName()),
  };
}
