import { useSheets } from "../api/hooks";
import { DeskHeader } from "../ui/DeskHeader";
import { Notice, Waiting } from "../ui/Notice";

/** Every sheet in plain words: what it is, what its importer silently does, and why. */
export function SheetsPage() {
  const sheets = useSheets();
  return (
    <div className="min-h-screen">
      <DeskHeader />
      <main className="mx-auto max-w-[1100px] px-6 py-8">
        <h1>Sheets</h1>
        <p className="text-soft">The written conventions and abilities of each program.</p>
        {sheets.isPending && <Waiting text="Fetching the sheets…" />}
        {sheets.error && <Notice error={sheets.error} />}
        {sheets.data?.map((sheet) => (
          <section key={sheet.name} className="mt-6 grid grid-cols-[200px_1fr_1fr] gap-6 border-t border-base-300 pt-4">
            <div>
              <h2>{sheet.name}</h2>
              <p className="text-soft">{sheet.role === "both" ? "source or destination" : sheet.role}</p>
              <p className="mt-2">{sheet.summary}</p>
            </div>
            <div>
              <h3 className="text-soft">Habits</h3>
              {sheet.habits.length === 0 && <p>None.</p>}
              <ul>
                {sheet.habits.map((habit) => (
                  <li key={habit.name} className="mt-2">
                    <span className="font-semibold">{habit.name}.</span> {habit.does}
                  </li>
                ))}
              </ul>
            </div>
            <div>
              <h3 className="text-soft">Why</h3>
              <dl>
                {Object.entries(sheet.notes).map(([field, note]) => (
                  <div key={field} className="mt-2">
                    <dt className="font-mono text-[11px] text-soft">{field}</dt>
                    <dd>{note}</dd>
                  </div>
                ))}
              </dl>
            </div>
          </section>
        ))}
      </main>
    </div>
  );
}
