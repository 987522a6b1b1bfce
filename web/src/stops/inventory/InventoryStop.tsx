import { useEffect, useMemo, useState } from "react";
import { useSearchParams } from "react-router";

import type { Finding } from "../../api/client";
import { useInventory } from "../../api/hooks";
import { partsOf, treeOf } from "../../parts/tree";
import { Notice, Waiting } from "../../ui/Notice";
import { Papers } from "../../ui/Papers";
import type { Ask } from "../../view/Framing";
import { useShownMove } from "../MoveShell";
import { Again } from "./Again";
import { Along } from "./Along";
import { Files } from "./Files";
import { Findings } from "./Findings";
import { Cameras, Images, Lights, Materials } from "./Ledgers";
import { ViewPane } from "./pane/ViewPane";
import { NextStates } from "./NextStates";
import { Parts } from "./parts/Parts";
import { SizePanel } from "./SizePanel";

const TABS = ["findings", "along", "parts", "materials", "images", "lights", "cameras", "files"] as const;
type Tab = (typeof TABS)[number];

/** First stop: the view on the left, the papers on the right; a choice on either side is a choice on both. */
export function InventoryStop() {
  const move = useShownMove();
  const inventory = useInventory(move.id, move.ready);
  const [params, setParams] = useSearchParams();
  const tab = (TABS.find((name) => name === params.get("tab")) ?? "findings") as Tab;
  const [chosen, setChosen] = useState<string[]>([]);
  const [shown, setShown] = useState<Finding | null>(null);
  const [ask, setAsk] = useState<Ask>({ kind: "all", number: 0 });
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
  const counts: Record<Tab, number | string> = {
    findings: data.findings.filter((finding) => finding.state === "open").length,
    along: data.parts.filter((part) => part.included).length,
    parts: data.parts.length,
    materials: data.materials.length,
    images: data.images.length,
    lights: data.lights.length,
    cameras: data.cameras.length,
    files: "\u00a0",
  };
  const still = shown && data.findings.find((finding) => finding.id === shown.id && finding.state === "open");

  function show(finding: Finding) {
    setChosen(finding.targets);
    setShown(finding);
    if (finding.kind === "faces_away") put("lens", "facing");
    if (finding.kind.startsWith("uv_") || finding.kind === "missing_uvs") put("lens", "uv");
  }

  return (
    <div className="flex h-full min-h-0">
      <ViewPane
        move={move.id}
        data={data}
        seen={seen}
        onChoose={choose}
        shown={tab === "findings" && still ? still : null}
        onShown={setShown}
        ask={ask}
        onAsk={(wanted) => setAsk({ ...wanted, number: ask.number + 1 })}
      />
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
          {tab === "findings" && <NextStates move={move.id} revision={move.revision} />}
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
          {tab === "files" && <Files move={move.id} revision={move.revision} />}
          {(tab === "findings" || tab === "along") && <SizePanel move={move.id} size={data.size} />}
        </Papers>
      </aside>
    </div>
  );
}
