import { useSearchParams } from "react-router";

import { deciding, type Put } from "../../api/decisions";
import { useAnotherLamp, useDecide, useLight } from "../../api/hooks";
import { Notice, Waiting } from "../../ui/Notice";
import { PageStrip } from "../../ui/PageStrip";
import { useShownMove } from "../MoveShell";
import { Cameras } from "./Cameras";
import { AfterEffects } from "./AfterEffects";
import { EnvironmentStrip } from "./EnvironmentStrip";
import { Exposure } from "./Exposure";
import { LightLedger } from "./LightLedger";
import { LightmapsPage } from "./LightmapsPage";
import { Mixing } from "./Mixing";

const PAGES = [
  ["", "Surroundings and lights"],
  ["lightmaps", "Lightmaps"],
] as const;

/** Third stop: what lights the scene, and light written down. */
export function LightStop() {
  const [params, setParams] = useSearchParams();
  const page = params.get("page") ?? "";
  return (
    <div className="flex h-full flex-col">
      <PageStrip
        label="Light"
        pages={PAGES}
        shown={page}
        onShow={(key) => setParams(key ? { page: key } : {})}
      />
      <div className="min-h-0 flex-1">{page === "lightmaps" ? <LightmapsPage /> : <LightsPage />}</div>
    </div>
  );
}

/** The environment as a wide strip, the lights as a ledger, the exposure both sides share. */
function LightsPage() {
  const move = useShownMove();
  const light = useLight(move.id);
  const decide = useDecide(move.id);
  const another = useAnotherLamp(move.id);
  if (light.isPending) return <Waiting text="Looking at the lights…" />;
  if (light.error) return <Notice error={light.error} onRetry={() => void light.refetch()} />;
  const put: Put = (target, field, value) => decide.mutate([deciding(target, field, value)]);
  return (
    <div className="h-full overflow-y-auto">
      <EnvironmentStrip move={move.id} data={light.data} onPut={put} />
      {(decide.error ?? another.error) && <Notice error={decide.error ?? another.error} />}
      <Mixing move={move.id} job={move.job} onDecide={(decisions) => decide.mutate(decisions)} />
      <div className="px-6 py-5">
        <LightLedger
          lights={light.data.lights}
          aims={light.data.aims}
          next={light.data.next_light}
          onPut={put}
          onDecide={(decisions) => decide.mutate(decisions)}
          onAnother={(light, mirrored) => another.mutate({ light, mirrored })}
        />
        <Cameras cameras={light.data.cameras} onPut={put} />
        <div className="mt-7 grid grid-cols-[360px_1fr] gap-10">
          <Exposure ev100={light.data.ev100 ?? null} move={move.id} onPut={put} />
          <AfterEffects
            data={light.data}
            onLeaveBehind={(ids) =>
              decide.mutate(ids.map((id) => deciding(`${id}/occlusion`, "input", null)))
            }
            onSimulate={(names) => put("proof", "effects", names)}
          />
        </div>
      </div>
    </div>
  );
}
