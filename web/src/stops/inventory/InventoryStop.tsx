import { lazy, Suspense, useEffect, useMemo, useState, useRef } from "react";
import { useSearchParams } from "react-router";

import { useInventory } from "../../api/hooks";
import { Papers } from "../../ui/Papers";
import { Notice, Waiting } from "../../ui/Notice";
import { type Lens, LENSES } from "../../view/lensNames";
import { useShownMove } from "../MoveShell";
import type { Finding } from "../../api/client";
import { Again } from "./Again";
import { Along } from "./Along";
import { Findings } from "./Findings";
import { Cameras, Images, Lights, Materials } from "./Ledgers";
import { Parts } from "./parts/Parts";
import { partsOf, treeOf } from "../../parts/tree";
import { PickedFaces } from "./PickedFaces";
import { SizePanel } from "./SizePanel";
import { KeepView } from "./KeepView";
import { whole } from "../../ui/format";

const View = lazy(() => import("../../view/View").then((module) => ({ default: module.View })));
const TABS = ["findings", "along", "parts", "materials", "images", "lights", "cameras"] as const;
type Tab = (typeof TABS)[number];

/** First stop: the view on the left, the papers on the right; a choice on either side is a choice on both. */
export function InventoryStop() {
  const move = useShownMove();
  const inventory = useInventory(move.id, move.ready);
  const [params, setParams] = useSearchParams();
  const tab = (TABS.find((name) => name === params.get("tab")) ?? "findings") as Tab;
  const lens = (LENSES.find(([name]) => name === params.get("lens"))?.[0] ?? "received") as Lens;
  const input = params.get("input") ?? "base_color";
  const rod = params.get("rod") !== "off";
  const [chosen, setChosen] = useState<string[]>([]);
  const [before, setBefore] = useState(false);
  const [shown, setShown] = useState<Finding | null>(null);
  const [picked, setPicked] = useState<Record<string, number[]> | null>(null);
  const [area, setArea] = useState(false);
  const standing = useRef<(() => { matrix: number[]; yfov_rad: number }) | null>(null);
  const [ask, setAsk] = useState<{
    kind: "all" | "chosen" | "camera" | "walk";
    camera?: string;
    number: number;
  }>({ kind: "all", number: 0 });
  const wish = useMemo(() => ({ lens, input }), [lens, input]);
  const put = (key: string, value: string) =>
    setParams((before) => ({ ...Object.fromEntries(before), [key]: value }), { replace: true });
  useEffect(() => setChosen([]), [move.id]);

  const choose = (part: string | null, more: boolean) =>
    setChosen((held) =>
      part === null
        ? []
        : more
          ? held.includes(part)
            ? held.filter((id) => id !== part)
            : [part, ...held]
          : [part],
    );

  const laid = inventory.data;
  const seen = useMemo(() => (laid ? partsOf(treeOf(laid), new Set(chosen)) : []), [laid, chosen]);

  if (inventory.isPending) return <Waiting text="Laying out the inventory…" />;
  if (inventory.error) return <Notice error={inventory.error} onRetry={() => void inventory.refetch()} />;
  const data = inventory.data;
  const counts: Record<Tab, number> = {
    findings: data.findings.filter((finding) => finding.state === "open").length,
    along: data.parts.filter((part) => part.included).length,
    parts: data.parts.length,
    materials: data.materials.length,
    images: data.images.length,
    lights: data.lights.length,
    cameras: data.cameras.length,
  };
  const inputs = [
    ...new Map(
      data.materials.flatMap((material) => material.inputs.map((one) => [one.name, one.label] as const)),
    ).entries(),
  ];
  const size = data.size.high_m.map((high, axis) => (high - (data.size.low_m[axis] ?? 0)).toFixed(2));
  const away = data.findings
    .filter((finding) => finding.kind === "faces_away" && finding.state === "open")
    .reduce((sum, finding) => sum + (finding.evidence.face_count ?? 0), 0);

  const still = shown && data.findings.find((finding) => finding.id === shown.id && finding.state === "open");
  const faces = tab === "findings" && still ? still.evidence.faces : undefined;
  const marked = faces && Object.keys(faces).length ? faces : null;
  const markedCount = Number(still?.evidence.face_count ?? 0);

  function pick(part: string, face: number) {
    setPicked((held) => {
      const own = held?.[part] ?? [];
      return { ...held, [part]: own.includes(face) ? own.filter((other) => other !== face) : [...own, face] };
    });
  }

  function pickArea(found: Record<string, number[]>) {
    setPicked((held) => ({
      ...held,
      ...Object.fromEntries(
        Object.entries(found).map(([part, faces]) => [
          part,
          [...new Set([...(held?.[part] ?? []), ...faces])],
        ]),
      ),
    }));
  }

  function show(finding: Finding) {
    setChosen(finding.targets);
    setShown(finding);
    if (finding.kind === "faces_away") put("lens", "facing");
    if (finding.kind.startsWith("uv_") || finding.kind === "missing_uvs") put("lens", "uv");
  }

  return (
    <div className="flex h-full min-h-0">
      <section aria-label="View" className="relative min-w-0 flex-1 bg-booth">
        <Suspense fallback={<span className="plate absolute top-3 left-3">Preparing the view…</span>}>
          <View
            move={move.id}
            inventory={data}
            wish={wish}
            chosen={seen}
            rod={rod}
            ask={ask}
            before={before}
            standing={standing}
            marked={picked ?? marked}
            onFace={picked ? pick : null}
            onArea={picked && area ? pickArea : null}
            onChoose={choose}
          />
        </Suspense>
        <div className="absolute top-3 left-3.5 flex flex-wrap gap-1.5" role="group" aria-label="Lens">
          <span className="plate">Lens</span>
          {LENSES.map(([name, label]) => (
            <button
              key={name}
              aria-pressed={lens === name}
              className={`plate cursor-pointer ${lens === name ? "font-semibold" : "plate-ink"}`}
              onClick={() => put("lens", name)}
            >
              {label}
            </button>
          ))}
          {lens === "input" && (
            <select
              aria-label="Input shown alone"
              className="plate"
              value={input}
              onChange={(event) => put("input", event.target.value)}
            >
              {inputs.map(([name, label]) => (
                <option key={name} value={name}>
                  {label}
                </option>
              ))}
            </select>
          )}
        </div>
        <div className="absolute top-3 right-3.5">
          <button
            aria-pressed={before || marked !== null || picked !== null}
            disabled={marked !== null || picked !== null}
            className={`plate cursor-pointer ${before || marked || picked ? "font-semibold" : "plate-ink"}`}
            title="The delivery before any mend but unit and axis"
            onClick={() => setBefore(!before)}
          >
            {before || marked || picked ? "Before mends" : "After mends"}
          </button>
        </div>
        <div className="absolute right-3.5 bottom-3 left-3.5 flex flex-wrap items-end justify-between gap-2">
          <div className="flex gap-1.5">
            <button
              className="plate cursor-pointer hover:underline"
              onClick={() => setAsk({ kind: "all", number: ask.number + 1 })}
            >
              Fit to view
            </button>
            <button
              className="plate cursor-pointer hover:underline disabled:opacity-50"
              disabled={!chosen.length}
              onClick={() => setAsk({ kind: "chosen", number: ask.number + 1 })}
            >
              Go to chosen
            </button>
            {data.cameras.map((camera) => (
              <button
                key={camera.id}
                className="plate cursor-pointer hover:underline"
                onClick={() => setAsk({ kind: "camera", camera: camera.id, number: ask.number + 1 })}
              >
                {camera.name}
              </button>
            ))}
            <button
              className="plate cursor-pointer hover:underline"
              title="The arrow keys walk and turn, with Shift in large steps"
              onClick={() => setAsk({ kind: "walk", number: ask.number + 1 })}
            >
              Stand in it
            </button>
            <KeepView move={move.id} standing={standing} />
            <button
              className={`plate cursor-pointer ${picked ? "font-semibold" : ""}`}
              aria-pressed={picked !== null}
              onClick={() => setPicked(picked ? null : {})}
            >
              Pick faces
            </button>
            <button
              className={`plate cursor-pointer ${rod ? "font-semibold" : "line-through"}`}
              aria-pressed={rod}
              onClick={() => put("rod", rod ? "off" : "on")}
            >
              Rod
            </button>
          </div>
          {picked && (
            <PickedFaces
              move={move.id}
              picked={picked}
              area={area}
              onArea={setArea}
              within={seen.length}
              slots={data.materials.map((material) => material.name)}
              onDone={() => setPicked(null)}
            />
          )}
          {marked && !picked && (
            <span className="plate">
              hatched: {still?.title.toLowerCase()}, {whole(markedCount)} faces{" "}
              <button className="underline" onClick={() => setShown(null)}>
                clear
              </button>
            </span>
          )}
          {!marked && lens === "facing" && (
            <span className="plate">
              hatched: seen from behind{away ? `, ${whole(away)} faces look away` : ""}
            </span>
          )}
          {lens === "ids" && (
            <span className="plate max-w-[560px]">
              {data.materials.map((material, number) => `${number + 1} ${material.name}`).join(" · ")}
            </span>
          )}
          <span className="plate font-mono">
            {size.join(" × ")} m · {whole(data.size.triangles)} triangles
          </span>
        </div>
      </section>
      <aside className="flex w-[468px] shrink-0 flex-col border-l border-base-300">
        <div className="flex items-baseline justify-between px-4 pt-4">
          <h1>What arrived</h1>
          <span className="max-w-[200px] truncate font-mono text-[12px]">{move.name}</span>
        </div>
        <Papers
          label="Papers"
          papers={TABS.map((name) => ({
            key: name,
            words: (
              <>
                <span className="block capitalize">{name}</span>
                <span className="block">{counts[name]}</span>
              </>
            ),
          }))}
          shown={tab}
          onShow={(name) => put("tab", name)}
          className="mt-2 gap-3 border-b border-base-300 px-4"
        >
          {tab === "findings" && (
            <Findings
              move={move.id}
              findings={data.findings}
              surveyed={data.surveyed}
              chosen={chosen}
              shown={still?.id ?? null}
              onShow={show}
            />
          )}
          {tab === "findings" && (
            <Again
              move={move.id}
              job={move.job ?? null}
              mended={data.findings.filter((finding) => finding.state === "mended").length}
              onShow={(finding) => setChosen(finding.targets)}
            />
          )}
          {tab === "along" && <Along move={move.id} inventory={data} chosen={chosen} />}
          {tab === "parts" && <Parts move={move.id} inventory={data} chosen={chosen} onChoose={setChosen} />}
          {tab === "materials" && <Materials move={move.id} inventory={data} onParts={setChosen} />}
          {tab === "images" && <Images move={move.id} inventory={data} />}
          {tab === "lights" && <Lights move={move.id} inventory={data} />}
          {tab === "cameras" && (
            <Cameras
              inventory={data}
              onShow={(camera) => setAsk({ kind: "camera", camera, number: ask.number + 1 })}
            />
          )}
          {(tab === "findings" || tab === "along") && <SizePanel move={move.id} size={data.size} />}
        </Papers>
      </aside>
    </div>
  );
}
