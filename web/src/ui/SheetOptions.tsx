import { useSheets } from "../api/sheets";

/** The programs that a scene can come from or go to, as options of a choice. */
export function SheetOptions({ to }: { to: "source" | "destination" }) {
  const sheets = useSheets();
  const other = to === "source" ? "destination" : "source";
  return sheets.data
    ?.filter((sheet) => sheet.role !== other)
    .map((sheet) => (
      <option key={sheet.name} value={sheet.name.toLowerCase()}>
        {sheet.name}
      </option>
    ));
}
