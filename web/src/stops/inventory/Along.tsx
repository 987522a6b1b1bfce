import { useState } from "react";

import type { Inventory, KindRule } from "../../api/client";
import { deciding, type Field, type ValueOf } from "../../api/decisions";
import { useDecide } from "../../api/hooks";
import { Notice } from "../../ui/Notice";
import { DropMore } from "./Findings";
import { PoseFrom } from "./PoseFrom";

interface Props {
  move: number;
  inventory: Inventory;
  chosen: string[];
}

/** What comes along: by kind, by name, only what is chosen, geometry only; variants, joining, motion. All of it is kept for the next revision. */
export function Along({ move, inventory, chosen }: Props) {
  const decide = useDecide(move);
  const [pattern, setPattern] = useState("");
  const [posing, setPosing] = useState<string | null>(null);
  const { choice } = inventory;
  const set = <F extends Field>(field: F, value: ValueOf<F>) =>
    decide.mutate([deciding("scene", field, value)]);
  const count = (kind: string) =>
    kind === "light"
      ? inventory.lights.length
      : kind === "camera"
        ? inventory.cameras.length
        : inventory.parts.filter((part) => part.kind === kind).length;
  const leaves = (kind: string) => choice.rules.some((rule) => "kind" in rule && rule.kind === kind);
  const names = choice.rules.filter((rule) => "name" in rule);
  const groups = choice.rules.filter((rule) => "group" in rule);
  const parts = chosen.filter((id) => inventory.parts.some((part) => part.id === id));
  const out = inventory.parts.filter((part) => !part.included).length;
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      {decide.error && <Notice error={decide.error} />}
      <Block
        title="By kind"
        note={`${inventory.parts.length - out} of ${inventory.parts.length} parts come along. What a part is called and holds tells its kind.`}
      >
        <ul>
          {Object.entries(choice.kinds).map(([kind, label]) => (
            <li key={kind}>
              <label className="flex h-8 items-center gap-2 border-b border-base-300">
                <input
                  type="checkbox"
                  checked={!leaves(kind)}
                  disabled={decide.isPending || !count(kind)}
                  onChange={(event) =>
                    set(
                      "leave_out",
                      event.target.checked
                        ? choice.rules.filter((rule) => !("kind" in rule && rule.kind === kind))
                        : [...choice.rules, { kind: kind as KindRule["kind"] }],
                    )
                  }
                />
                <span className="flex-1">{label}</span>
                <span className="font-mono text-[12px] text-soft">{count(kind) || "none"}</span>
              </label>
            </li>
          ))}
        </ul>
      </Block>
      <Block
        title="By name"
        note="Left out now and in every later revision. * stands for anything, ? for one letter."
      >
        <form
          className="flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            if (!pattern.trim()) return;
            set("leave_out", [...choice.rules, { name: pattern.trim() }]);
            setPattern("");
          }}
        >
          <input
            className="field min-w-0 flex-1"
            aria-label="Name pattern"
            placeholder="crate*"
            value={pattern}
            onChange={(event) => setPattern(event.target.value)}
          />
          <button className="press" disabled={!pattern.trim() || decide.isPending}>
            Leave out
          </button>
        </form>
        <ul>
          {names.map((rule) => (
            <li key={rule.name} className="flex h-8 items-center border-b border-base-300">
              <span className="flex-1 font-mono text-[12px]">{rule.name}</span>
              <button
                className="underline"
                onClick={() =>
                  set(
                    "leave_out",
                    choice.rules.filter((other) => !("name" in other && other.name === rule.name)),
                  )
                }
              >
                Take along again
              </button>
            </li>
          ))}
        </ul>
      </Block>
      {groups.length > 0 && (
        <Block title="By group" note="Left out with everything beneath, also what is added to them later.">
          <ul>
            {groups.map((rule) => (
              <li key={rule.group} className="flex h-8 items-center border-b border-base-300">
                <span className="flex-1 truncate">
                  {inventory.groups.find((group) => group.id === rule.group)?.name ?? rule.group}
                </span>
                <button
                  className="underline"
                  onClick={() =>
                    set(
                      "leave_out",
                      choice.rules.filter((other) => !("group" in other && other.group === rule.group)),
                    )
                  }
                >
                  Take along again
                </button>
              </li>
            ))}
          </ul>
        </Block>
      )}
      <Block title="By choice" note="Choose parts in the view or in the list first.">
        <div className="flex flex-wrap gap-2">
          <button className="press" disabled={!parts.length} onClick={() => set("only", parts)}>
            Only the {parts.length || ""} chosen
          </button>
          <button className="press" onClick={() => set("only", [])}>
            All again
          </button>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={choice.geometry_only}
              onChange={(event) => set("geometry_only", event.target.checked)}
            />
            Geometry only, without images, lights and cameras
          </label>
        </div>
      </Block>
      <Block title="Pieces" note="Still parts can be joined; nothing moves in the world.">
        <Pick
          label="Join"
          value={choice.join}
          options={[
            ["apart", "keep all apart"],
            ["material", "one mesh for each material"],
            ["group", "one mesh for each group"],
          ]}
          onPick={(value) => set("join", value as ValueOf<"join">)}
        />
      </Block>
      {choice.variants.length > 0 && (
        <Block title="Variant" note="The file holds several looks; one travels.">
          <Pick
            label="Variant"
            value={choice.variant}
            options={[
              ["", "as it is in the file"],
              ...choice.variants.map((name) => [name, name] as [string, string]),
            ]}
            onPick={(value) => value && set("variant", value)}
          />
        </Block>
      )}
      {inventory.clips.length > 0 && (
        <Block title="Motion" note="Clips travel where the destination's format can hold them.">
          <ul>
            {inventory.clips.map((clip) => (
              <li key={clip.id} className="flex h-8 items-center gap-2 border-b border-base-300">
                <input
                  type="checkbox"
                  aria-label={`Take ${clip.name} along`}
                  checked={clip.included}
                  onChange={(event) =>
                    decide.mutate([{ target: clip.id, field: "include", value: event.target.checked }])
                  }
                />
                <span className="flex-1 truncate">{clip.name}</span>
                <span className="font-mono text-[12px] text-soft">
                  {clip.seconds.toFixed(2)} s · {clip.channels} channels
                </span>
                <button className="underline" onClick={() => set("freeze", { clip: clip.id, time_s: 0 })}>
                  Freeze first frame
                </button>
              </li>
            ))}
          </ul>
        </Block>
      )}
      {choice.other_models.length > 0 && (
        <Block
          title="Pose from another file"
          note="Another model with a rig lends its pose and stays behind."
        >
          <div className="flex gap-2">
            {choice.other_models.map((mark) => (
              <button
                key={mark}
                className="press"
                aria-expanded={posing === mark}
                onClick={() => setPosing(posing === mark ? null : mark)}
              >
                Pose of model {mark.slice(1)}
              </button>
            ))}
          </div>
          {posing && <PoseFrom key={posing} move={move} mark={posing} onDone={() => setPosing(null)} />}
        </Block>
      )}
      <Block title="Files" note="More files join the delivery as its next revision; decisions stay.">
        <div className="flex flex-wrap gap-2">
          <DropMore move={move} label="Add files…" />
          <a className="press inline-flex items-center" href={`/api/moves/${move}/media.zip`} download>
            All images as files
          </a>
        </div>
      </Block>
    </div>
  );
}

function Block({ title, note, children }: { title: string; note: string; children: React.ReactNode }) {
  return (
    <section className="border-b border-base-300 px-4 py-3">
      <h3>{title}</h3>
      <p className="mb-1.5 text-soft">{note}</p>
      {children}
    </section>
  );
}

function Pick({
  label,
  value,
  options,
  onPick,
}: {
  label: string;
  value: string;
  options: [string, string][];
  onPick: (value: string) => void;
}) {
  return (
    <label className="flex items-center gap-2">
      <span className="sr-only">{label}</span>
      <select className="field" value={value} onChange={(event) => onPick(event.target.value)}>
        {options.map(([key, text]) => (
          <option key={key} value={key}>
            {text}
          </option>
        ))}
      </select>
    </label>
  );
}
