import { useRef, useState } from "react";

import type { SheetInput, SheetLine } from "../api/client";
import { SetsControl } from "./SetsControl";

interface Props {
  line: SheetLine;
  inputs: SheetInput[];
  busy: boolean;
  onChange: (value: SheetLine["value"]) => void;
}

/** What a line of an own sheet can be set to. A choice is kept at once; typed values when the field is left or Enter is pressed. */
export function LineControl({ line, inputs, busy, onChange }: Props) {
  switch (line.kind) {
    case "flag":
      return (
        <Choices
          line={line}
          chosen={line.value === true ? "true" : "false"}
          busy={busy}
          onChoose={(value) => onChange(value === "true")}
        />
      );
    case "choice":
      return (
        <Choices
          line={line}
          chosen={String(line.value)}
          busy={busy}
          onChoose={(value) => onChange(typeof line.value === "number" ? Number(value) : value)}
        />
      );
    case "several":
      return <Several line={line} busy={busy} onChange={onChange} />;
    case "inputs":
      return <Inputs line={line} inputs={inputs} busy={busy} onChange={onChange} />;
    case "sets":
      return (
        <SetsControl
          key={JSON.stringify(line.value)}
          line={line}
          inputs={inputs}
          busy={busy}
          onChange={onChange}
        />
      );
    default:
      return <Typed key={String(line.value)} line={line} onChange={onChange} />;
  }
}

function Choices({
  line,
  chosen,
  busy,
  onChoose,
}: {
  line: SheetLine;
  chosen: string;
  busy: boolean;
  onChoose: (value: string) => void;
}) {
  return (
    <fieldset aria-label={line.label}>
      {line.choices.map(({ value, words }) => (
        <label key={value} className="flex items-center gap-2 py-0.5">
          <input
            type="radio"
            name={line.path}
            checked={chosen === value}
            disabled={busy}
            onChange={() => onChoose(value)}
          />
          {words}
        </label>
      ))}
    </fieldset>
  );
}

function Several({ line, busy, onChange }: Omit<Props, "inputs">) {
  const held = line.value as string[];
  return (
    <fieldset aria-label={line.label} className="flex flex-wrap gap-x-4">
      {line.choices.map(({ value, words }) => (
        <label key={value} className="flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            checked={held.includes(value)}
            disabled={busy}
            onChange={(event) =>
              onChange(
                line.choices
                  .map((one) => one.value)
                  .filter((one) => (one === value ? event.target.checked : held.includes(one))),
              )
            }
          />
          {words}
        </label>
      ))}
    </fieldset>
  );
}

function Inputs({ line, inputs, busy, onChange }: Props) {
  const held = line.value as Record<string, { value: boolean; multiplies: boolean; note: string }>;
  const put = (name: string, rule: { multiplies: boolean } | null) => {
    const { [name]: before, ...rest } = held;
    onChange(
      rule
        ? { ...rest, [name]: { value: true, note: before?.note ?? "", multiplies: rule.multiplies } }
        : rest,
    );
  };
  return (
    <fieldset aria-label={line.label} className="columns-2 gap-6">
      {inputs.map(({ name, label }) => (
        <div key={name} className="flex break-inside-avoid items-center justify-between gap-2">
          <label className="flex min-w-0 items-center gap-2 py-0.5">
            <input
              type="checkbox"
              checked={name in held}
              disabled={busy}
              onChange={(event) => put(name, event.target.checked ? { multiplies: false } : null)}
            />
            <span className="truncate">{label}</span>
          </label>
          {name in held && (
            <label
              className="flex items-center gap-1 text-[12px] text-soft"
              title="The number multiplies an image of the same input"
            >
              <input
                type="checkbox"
                aria-label={`${label} multiplies its image`}
                checked={held[name]?.multiplies ?? false}
                disabled={busy}
                onChange={(event) => put(name, { multiplies: event.target.checked })}
              />
              × image
            </label>
          )}
        </div>
      ))}
    </fieldset>
  );
}

/** Stays open while something is kept, so that typing goes on; what was refused is not sent again until it is changed. */
function Typed({ line, onChange }: Pick<Props, "line" | "onChange">) {
  const [text, setText] = useState(String(line.value));
  const sent = useRef(String(line.value));
  const number = line.kind === "number";
  const keep = () => {
    if (text === sent.current) return;
    sent.current = text;
    onChange(number && text.trim() !== "" && Number.isFinite(Number(text)) ? Number(text) : text);
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        keep();
      }}
    >
      <input
        className={`field font-mono ${number ? "w-28" : "w-64"}`}
        aria-label={line.label}
        inputMode={number ? "decimal" : "text"}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={keep}
      />
      <span className="ml-3 text-soft">{line.said}</span>
    </form>
  );
}
