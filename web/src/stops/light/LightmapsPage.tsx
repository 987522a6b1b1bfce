import { useState } from "react";
import { Link } from "react-router";

import { type LightmapFault, pictures } from "../../api/client";
import { type Decision, deciding, type Put } from "../../api/decisions";
import { isRunning, useAfter, useDecide, useLightmaps, useStartJob } from "../../api/hooks";
import { useSheets } from "../../api/sheets";
import { Notice, Waiting } from "../../ui/Notice";
import { useShownMove } from "../MoveShell";
import { LENS_WORDS } from "./lenses";
import { LightmapAsk } from "./LightmapAsk";
import { LightmapFaults } from "./LightmapFaults";
import { LightmapTable } from "./LightmapTable";
import { LightmapView } from "./LightmapView";

/** Light written down: the view under a lens beside what is asked, what is wrong, and every part. */
export function LightmapsPage() {
  const move = useShownMove();
  const data = useLightmaps(move.id);
  const decide = useDecide(move.id);
  const start = useStartJob(move.id);
  const [lens, setLens] = useState("light");
  const [chosen, setChosen] = useState<string | null>(null);
  const [ask, setAsk] = useState(0);
  const destination =
    useSheets().data?.find((sheet) => sheet.name.toLowerCase() === move.destination)?.name ??
    move.destination;
  useAfter(move.job, ["bake"], data.refetch);
  if (data.isPending) return <Waiting text="Looking at the lightmaps…" />;
  if (data.error) return <Notice error={data.error} onRetry={() => void data.refetch()} />;
  const put: Put = (target, field, value) => decide.mutate([deciding(target, field, value)]);
  const maps = data.data;
  if (!maps.taken)
    return (
      <p className="p-6 text-soft">
        {destination} takes no lightmaps: all light is computed where the scene arrives. Its{" "}
        <Link to="/sheets" className="underline">
          sheet
        </Link>{" "}
        says so.
      </p>
    );
  if (!maps.wanted)
    return (
      <div className="max-w-[62ch] p-6">
        <h1>Lightmaps</h1>
        <p className="mt-2">
          {destination} can read the light that still parts receive from images, instead of computing it.
          Lights that it cannot take still light what was written down, and soft light and bounces arrive as
          they are.
        </p>
        <p className="mt-2 text-soft">
          {maps.parts.filter((part) => !part.excused).length} parts stand still,{" "}
          {maps.parts.filter((part) => part.excused).length} are lit where they arrive. The sheet gives{" "}
          {maps.sheet_budget_mib} MiB.
        </p>
        <button className="press press-main mt-4" onClick={() => put("lightmaps", "lightmaps", true)}>
          Write light down
        </button>
        {decide.error && <Notice error={decide.error} />}
      </div>
    );
  const job = move.job;
  const running = job && job.kind === "bake" && isRunning(job) ? job : null;
  const early = running?.result.maps ?? [];
  const show = (fault: LightmapFault) => {
    setLens(fault.kind);
    setChosen(fault.part);
    setAsk((n) => n + 1);
  };
  const cure = (decisions: Decision[]) =>
    decide.mutate(decisions, { onSuccess: () => start.mutate({ kind: "bake" }) });
  return (
    <div className="flex h-full min-h-0">
      <div className="flex min-w-0 flex-1 flex-col bg-booth">
        <div className="flex flex-wrap gap-1 bg-base-100 px-3 py-2" role="toolbar" aria-label="Lens">
          {maps.lenses.map((key) => (
            <button
              key={key}
              className="press h-6 px-2"
              aria-pressed={lens === key}
              disabled={!maps.baked}
              onClick={() => setLens(key)}
            >
              {LENS_WORDS[key]?.[0] ?? key}
            </button>
          ))}
        </div>
        <div className="relative min-h-0 flex-1">
          {maps.baked && !running ? (
            <LightmapView
              move={move.id}
              version={maps.baked.version}
              lens={lens}
              chosen={chosen}
              onChoose={setChosen}
              ask={ask}
            />
          ) : early.length ? (
            <div className="grid h-full place-items-center overflow-hidden p-4">
              <img
                className="max-h-full max-w-full"
                src={pictures.blob(early[0]!)}
                alt="Lightmap as far as it is"
              />
            </div>
          ) : (
            <p className="plate absolute top-1/2 left-1/2 -translate-x-1/2 -translate-y-1/2">
              {running ? "Charts are being made…" : "Nothing was baked yet with these settings."}
            </p>
          )}
          {(running || maps.baked) && (
            <span className="plate absolute bottom-3 left-3">
              {running
                ? running.message || "waiting"
                : `${LENS_WORDS[lens]?.[1] ?? ""}${lens === "light" || lens === "charts" ? "" : "; hatched: inside of something"}`}
            </span>
          )}
          {maps.baked && !running && chosen && (
            <span className="absolute top-3 right-3 flex gap-1">
              <button className="press h-6 px-2" onClick={() => setAsk((n) => n + 1)}>
                Go to it
              </button>
            </span>
          )}
        </div>
      </div>
      <div className="w-[560px] shrink-0 overflow-y-auto border-l border-base-300">
        <LightmapAsk move={move.id} data={maps} job={job} onPut={put} />
        {decide.error && <Notice error={decide.error} />}
        {maps.baked && (
          <LightmapFaults
            faults={maps.faults}
            cures={maps.cures}
            chosen={chosen}
            onShow={show}
            onCure={cure}
            busy={running !== null || decide.isPending}
          />
        )}
        <LightmapTable
          data={maps}
          chosen={chosen}
          onChoose={(part) => setChosen(part)}
          onPut={put}
          onPutMany={(ids, field, value) =>
            decide.mutate(ids.map((target) => deciding(target, field, value)))
          }
        />
        <p className="px-5 pb-6">
          <button className="text-soft underline" onClick={() => put("lightmaps", "lightmaps", false)}>
            Write no light down in this move
          </button>
        </p>
      </div>
    </div>
  );
}
