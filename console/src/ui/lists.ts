/** The content type of a list that someone chose: a spreadsheet by its name, else CSV. */
export function listType(file: File | undefined): string {
  return file?.name.toLowerCase().endsWith(".xlsx")
    ? "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
    : "text/csv";
}
