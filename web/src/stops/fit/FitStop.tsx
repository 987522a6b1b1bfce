import { useCallback, useMemo, useState } from "react";
import { useSearchParams } from "react-router";

import { type Fit, type Material, pictures } from "../../api/client";
import { useFamilies, useFit } from "../../api/hooks";
import { useNearestRows } from "../../api/nearest";
import { Ledger } from "../../ui/Ledger";
import { Mark, type MarkName } from "../../ui/Mark";
import { Notice, Waiting } from "../../ui/Notice";
import { useShownMove } from "../MoveShell";
import { BudgetPage } from "./budget/BudgetPage";
import { Crossings } from "./Crossings";
import { Families } from "./Families";
import { ManyMaterials } from "./ManyMaterials";
import { Meshes } from "./Meshes";
import { NearestPage } from "./nearest/NearestPage";
import { OnModel } from "./OnModel";
import { SampleBooth } from "./SampleBooth";
import { Unaccounted } from "./Unaccounted";
import { WhoWears } from "./WhoWears";

const idOf = (material: Material) => material.id;
const textOf = (material: Material) => material.name;
const WORST = ["blocked", "lost", "close", "exact"] as const;
const worstOf = (marks: MarkName[] | undefined): MarkName =>
  WORST.find((mark) => marks?.includes(mark)) ?? "exact";

/** Second stop: materials, the crossings of one of them as a timetable, its sample on both sides. */
export function FitStop() {
  const move = useShownMove();
  const fit = useFit(move.id);
  const families = useFamilies(move.id);
  const nearest = useNearestRows(move.id);
  const [params, setParams] = useSearchParams();
  const marks = useMemo(() => {
    const found = new Map<string, MarkName[]>();
    for (const crossing of fit.data?.crossings ?? [])
      found.set(crossing.material, [...(found.get(crossing.material) ?? []), crossing.mark]);
    return found;
  }, [fit.data]);
  const [also, setAlso] = useState<string[]>([]);
  const [making, setMaking] = useState(false);
  const closeMaking = useCallback(() => setMaking(false), []);
  const worst = params.get("worst") ?? "";
  if (fit.isPending) return <Waiting text="Planning every input and measuring it…" />;
  if (fit.error) return <Notice error={fit.error} onRetry={() => void fit.refetch()} />;
  const data: Fit = fit.data;
  const chosen =
    data.materials.find((material) => material.id === params.get("material")) ?? data.materials[0];
  if (!chosen)
    return (
      <div className="flex h-full min-h-0 flex-col">
        <p className="px-[18px] pt-4 text-soft">There are no materials to carry yet.</p>
        {families.data && <Families move={move.id} families={families.data} onOpen={() => undefined} />}
      </div>
    );
  const shown = worst
    ? data.materials.filter((material) => worstOf(marks.get(material.id)) === worst)
    : data.materials;
  const many = [
    chosen,
    ...data.materials.filter((material) => material !== chosen && also.includes(material.id)),
  ];
  const put = (change: Record<string, string>) =>
    setParams({ ...(worst ? { worst } : {}), ...change }, { replace: true });
  const waiting = families.data
    ? new Set([
        ...families.data.unsure.map((one) => one.image),
        ...families.data.unmatched.flatMap((one) => one.images.map((image) => image.image)),
        ...families.data.proposals.flatMap((one) => one.fillings.map((filling) => filling.image)),
      ]).size
    : 0;
  const showMeshes = params.get("show") === "meshes" && data.meshes.length > 0;
  const showNearest = params.get("show") === "nearest";
  const lossy = nearest.data?.rows.length ?? 0;
  const showWaiting = params.get("show") === "waiting" && families.data !== undefined;
  if (params.get("show") === "budget")
    return <BudgetPage move={move} onBack={() => put({ material: chosen.id })} />;
  if (showNearest)
    return (
      <NearestPage
        move={move}
        material={params.get("material") ?? ""}
        onMaterial={(material) => put({ show: "nearest", material })}
        onBack={() => put({ material: chosen.id })}
      />
    );
  return (
    <div className="flex h-full min-h-0">
      <section aria-label="Materials" className="flex w-[216px] shrink-0 flex-col border-r border-base-300">
        {!data.measured && (
          <p role="status" className="border-b border-base-300 bg-base-100 px-4 py-2 text-[12px]">
            Marks are as promised; they are being measured on the texels.
          </p>
        )}
        <div className="flex h-10 items-center justify-between gap-2 border-b border-base-300 px-4">
          <h2>Materials</h2>
          <select
            aria-label="Show materials by their worst mark"
            className="field w-[88px]"
            value={worst}
            onChange={(event) =>
              setParams(
                { material: chosen.id, ...(event.target.value ? { worst: event.target.value } : {}) },
                { replace: true },
              )
            }
          >
            <option value="">all {data.materials.length}</option>
            {WORST.map((mark) => (
              <option key={mark} value={mark}>
                worst {mark}:{" "}
                {data.materials.filter((material) => worstOf(marks.get(material.id)) === mark).length}
              </option>
            ))}
          </select>
        </div>
        <Ledger
          label="materials"
          rows={shown}
          idOf={idOf}
          textOf={textOf}
          height={53}
          chosen={showWaiting || showMeshes ? [] : many.map(idOf)}
          onChoose={(ids) => {
            setAlso(ids.slice(1));
            if (ids[0]) put({ material: ids[0] });
          }}
          empty={`No material is at worst ${worst}.`}
          render={(material) => (
            <>
              <img
                src={pictures.sample(move.id, material.id, data.version)}
                alt=""
                loading="lazy"
                className="mr-2.5 h-[38px] w-[38px] shrink-0 bg-booth"
              />
              <span className="min-w-0 flex-1">
                <span className="block truncate font-semibold">{material.name}</span>
                <span className="mt-1 flex gap-0.5">
                  {marks.get(material.id)?.map((mark, at) => (
                    <Mark key={at} mark={mark} bar />
                  ))}
                </span>
              </span>
            </>
          )}
        />
        <button
          className="border-t border-base-300 px-4 py-2 text-left hover:underline"
          aria-expanded={making}
          onClick={() => setMaking(!making)}
        >
          New material
        </button>
        {making && <WhoWears move={move.id} fit={data} material={null} onClose={closeMaking} />}
        {(waiting > 0 || showWaiting) && (
          <button
            className={`border-t border-base-300 px-4 py-2 text-left hover:underline ${showWaiting ? "bg-base-100 font-semibold" : ""}`}
            aria-pressed={showWaiting}
            onClick={() => put(showWaiting ? { material: chosen.id } : { show: "waiting" })}
          >
            {waiting} image{waiting === 1 ? "" : "s"} wait{waiting === 1 ? "s" : ""}
          </button>
        )}
        <button
          className={`border-t border-base-300 px-4 py-2 text-left hover:underline ${params.get("show") === "model" ? "bg-base-100 font-semibold" : ""}`}
          aria-pressed={params.get("show") === "model"}
          onClick={() =>
            put(
              params.get("show") === "model"
                ? { material: chosen.id }
                : { show: "model", material: chosen.id },
            )
          }
        >
          One input on the model
        </button>
        {lossy > 0 && (
          <button
            className="border-t border-base-300 px-4 py-2 text-left hover:underline"
            onClick={() => put({ show: "nearest", material: chosen.id })}
          >
            {lossy} lose{lossy === 1 ? "s" : ""} something of {lossy === 1 ? "its" : "their"} look
          </button>
        )}
        {(data.images.length > 0 || data.meshes.length > 0) && (
          <button
            className="border-t border-base-300 px-4 py-2 text-left hover:underline"
            onClick={() => put({ show: "budget" })}
          >
            Under a budget
          </button>
        )}
        {data.meshes.length > 0 && (
          <button
            className={`border-t border-base-300 px-4 py-2 text-left hover:underline ${showMeshes ? "bg-base-100 font-semibold" : ""}`}
            aria-pressed={showMeshes}
            onClick={() => put(showMeshes ? { material: chosen.id } : { show: "meshes" })}
          >
            {data.meshes.length} mesh{data.meshes.length === 1 ? "" : "es"} reshaped
          </button>
        )}
        <Unaccounted move={move.id} material={chosen.id} />
        <p className="border-t border-base-300 px-4 py-2 text-[12px] text-soft">
          {(["exact", "close", "lost", "blocked"] as const)
            .map((mark) => `${data.marks[mark] ?? 0} ${mark}`)
            .join(" · ")}
        </p>
      </section>
      {showWaiting ? (
        <Families move={move.id} families={families.data} onOpen={(material) => put({ material })} />
      ) : params.get("show") === "model" ? (
        <OnModel
          move={move.id}
          fit={data}
          name={params.get("input") ?? "base_color"}
          onName={(input) => put({ show: "model", material: chosen.id, input })}
        />
      ) : showMeshes ? (
        <Meshes fit={data} />
      ) : many.length > 1 ? (
        <ManyMaterials key={many.map(idOf).join()} move={move.id} fit={data} chosen={many} />
      ) : (
        <>
          <Crossings
            move={move}
            fit={data}
            material={chosen}
            onNearest={
              nearest.data?.rows.some((row) => row.material === chosen.id)
                ? () => put({ show: "nearest", material: chosen.id })
                : undefined
            }
          />
          <SampleBooth move={move.id} material={chosen} fit={data} />
        </>
      )}
    </div>
  );
}
