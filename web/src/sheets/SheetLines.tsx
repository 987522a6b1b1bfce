import { useNavigate } from "react-router";

import { Refused, type Sheet, type SheetLine } from "../api/client";
import { useChangeSheet, useDeleteSheet, useSheetInputs, useStepSheet } from "../api/sheets";
import { Notice } from "../ui/Notice";
import { LineControl } from "./LineControl";
import { LinePicture } from "./LinePicture";

/** Every line of a sheet with its drawing, what it says, what it decides and why; on an own sheet, what it can be set to. */
export function SheetLines({ sheet }: { sheet: Sheet }) {
  const change = useChangeSheet(sheet.name);
  const step = useStepSheet(sheet.name);
  const remove = useDeleteSheet();
  const navigate = useNavigate();
  const groups = [...new Set(sheet.lines.map((line) => line.group))];
  const fault = change.error instanceof Refused ? change.error : null;
  const known = fault !== null && sheet.lines.some((line) => fault.where.startsWith(line.path));
  return (
    <>
      {sheet.own && (
        <div className="mt-3 flex gap-2">
          <button
            className="press"
            disabled={!sheet.can_undo || step.isPending}
            onClick={() => step.mutate("undo")}
          >
            Undo
          </button>
          <button
            className="press"
            disabled={!sheet.can_redo || step.isPending}
            onClick={() => step.mutate("redo")}
          >
            Redo
          </button>
          <button
            className="press ml-auto"
            disabled={remove.isPending}
            onClick={() => remove.mutate(sheet.name, { onSuccess: () => void navigate("/sheets") })}
          >
            Throw this sheet away
          </button>
        </div>
      )}
      {remove.error && <Notice error={remove.error} />}
      {step.error && <Notice error={step.error} />}
      {change.error && !known && <Notice error={change.error} />}
      {groups.map((group) => (
        <section key={group} className="mt-5" aria-label={group}>
          <h2 className="border-b border-base-content pb-1">{group}</h2>
          {sheet.lines
            .filter((line) => line.group === group)
            .map((line) => (
              <Line
                key={line.path}
                sheet={sheet}
                line={line}
                busy={change.isPending}
                fault={fault?.where.startsWith(line.path) ? fault : null}
                onChange={(value) => change.mutate({ [line.path]: value })}
              />
            ))}
        </section>
      ))}
      {sheet.meanings.length > 0 && (
        <section className="mt-5" aria-label="What was measured beside its lines">
          <h2 className="border-b border-base-content pb-1">What was measured beside its lines</h2>
          <ul>
            {sheet.meanings.map((one) => (
              <li key={one.words} className="flex gap-4 border-b border-base-300 py-2">
                <span className="flex-1">{one.words}</span>
                <span className="text-[12px] italic">{one.measured}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {sheet.habits.length > 0 && (
        <section className="mt-5" aria-label="Habits">
          <h2 className="border-b border-base-content pb-1">
            Habits: what its importer does without saying so
          </h2>
          <ul>
            {sheet.habits.map((habit) => (
              <li key={habit.name} className="border-b border-base-300 py-2">
                <span className="font-semibold">
                  {(habit.name ?? "").replace(/^./, (c) => c.toUpperCase())}.
                </span>{" "}
                {habit.does}
              </li>
            ))}
          </ul>
        </section>
      )}
      {Object.entries(sheet.notes).map(([path, note]) => (
        <p key={path} className="mt-2 text-soft">
          {note}
        </p>
      ))}
    </>
  );
}

function Line({
  sheet,
  line,
  busy,
  fault,
  onChange,
}: {
  sheet: Sheet;
  line: SheetLine;
  busy: boolean;
  fault: Refused | null;
  onChange: (value: SheetLine["value"]) => void;
}) {
  const inputs = useSheetInputs(sheet.own && (line.kind === "inputs" || line.kind === "sets"));
  const wide = sheet.own && (line.kind === "inputs" || line.kind === "sets");
  const pictured = line.kind !== "inputs" && line.kind !== "sets" && line.path !== "images.pattern";
  return (
    <div
      className={`border-b border-base-300 py-2 ${fault ? "border-l-4 border-l-primary pl-2" : ""}`}
      data-line={line.path}
    >
      <div className="flex gap-4">
        {pictured ? <LinePicture line={line} /> : !wide && <span className="w-16 shrink-0" />}
        <div className="w-[250px] shrink-0">
          <h3 className="font-semibold">{line.label}</h3>
          <p className="text-[12px] text-soft">{line.why}</p>
          {line.measured && <p className="mt-0.5 text-[12px] italic">{line.measured}</p>}
        </div>
        {!wide && (
          <div className="min-w-0 flex-1">
            {sheet.own ? (
              <LineControl line={line} inputs={inputs.data ?? []} busy={busy} onChange={onChange} />
            ) : (
              <p>{line.said}.</p>
            )}
            {line.note && <p className="mt-1 text-[12px] text-soft">{line.note}</p>}
          </div>
        )}
      </div>
      {wide && (
        <div className="mt-2">
          <LineControl line={line} inputs={inputs.data ?? []} busy={busy} onChange={onChange} />
        </div>
      )}
      {fault && (
        <p role="alert" className="mt-1">
          <b className="text-primary">{fault.what}</b> {fault.remedy}
        </p>
      )}
    </div>
  );
}
