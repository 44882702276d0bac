/** The content type of a list that someone chose: a spreadsheet or JSON Lines by its name, else CSV. */
export function listType(file: File | undefined): string {
  const name = file?.name.toLowerCase() ?? "";
  if (name.endsWith(".jsonl")) return "application/jsonl";
  return name.endsWith(".xlsx")
    ? "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    : "text/csv";
}
