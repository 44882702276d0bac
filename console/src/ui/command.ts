/** A word of a command that can be pasted into a shell, whatever someone else has written into it. */
export function quoted(text: string): string {
  return /^[\w.,:@+-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;
}
