/** A number with what is counted, such as "1 party" or "3 parties". */
export function several(number: number, one: string, more = `${one}s`): string {
  return `${number.toLocaleString("en")} ${number === 1 ? one : more}`;
}
