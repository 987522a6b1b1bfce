import { useState } from "react";

import { type Fit, pictures } from "../../api/client";
import { useProofs } from "../../api/hooks";

/** One input alone on the model: what is meant at the left, what arrived at the right, from the same camera. */
export function OnModel({
  move,
  fit,
  name,
  onName,
}: {
  move: number;
  fit: Fit;
  name: string;
  onName: (name: string) => void;
}) {
  const proofs = useProofs(move);
  const [view, setView] = useState("");
  const inputs = new Map<string, string>();
  for (const material of fit.materials)
    for (const input of material.inputs) inputs.set(input.name, input.label);
  return (
    <section aria-label="One input on the model" className="flex min-w-0 flex-1 flex-col bg-booth p-4">
      <div className="flex flex-wrap items-center gap-2">
        <select
          aria-label="Input"
          className="field"
          value={name}
          onChange={(event) => onName(event.target.value)}
        >
          {[...inputs].map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
        </select>
        <select
          aria-label="Camera"
          className="field"
          value={view}
          onChange={(event) => setView(event.target.value)}
        >
          <option value="">Overview</option>
          {proofs.data?.views
            .filter((one) => one !== "Overview")
            .map((one) => (
              <option key={one}>{one}</option>
            ))}
        </select>
        <span className="plate">
          Unlit: colours as they are, numbers as grey, directions as a normal map shows them.
        </span>
      </div>
      <div className="mt-3 grid min-h-0 flex-1 grid-cols-2 content-start gap-3">
        {[false, true].map((arrival) => (
          <Side
            key={`${arrival} ${name} ${view} ${fit.version}`}
            arrival={arrival}
            address={pictures.alone(move, name, arrival, view, fit.version)}
            label={inputs.get(name) ?? name}
          />
        ))}
      </div>
    </section>
  );
}

function Side({ arrival, address, label }: { arrival: boolean; address: string; label: string }) {
  const [state, setState] = useState<"waiting" | "there" | "failed">("waiting");
  return (
    <figure className="min-w-0">
      <figcaption className="plate mb-2 inline-block">{arrival ? "arrival" : "reference"}</figcaption>
      <img
        src={address}
        alt={`${label}, ${arrival ? "arrival" : "reference"}`}
        className={`w-full ${state === "there" ? "" : "h-0"}`}
        onLoad={() => setState("there")}
        onError={() => setState("failed")}
      />
      {state === "waiting" && (
        <p role="status" className="plate">
          {arrival ? "Delivering everything and reading it back…" : "Drawing…"}
        </p>
      )}
      {state === "failed" && (
        <p role="alert" className="plate">
          It could not be drawn. Choose another input, or deliver on Handover and see what is refused.
        </p>
      )}
    </figure>
  );
}
