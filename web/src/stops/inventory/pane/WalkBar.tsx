import { whole } from "../../../ui/format";
import type { Walking } from "./useWalking";

/** While one walks: what blocks, and what is in the way. */
export function WalkBar({ walking, parts }: { walking: Walking; parts: number }) {
  const { everything, setEverything, met, unsaid, problem } = walking;
  return (
    <div
      role="group"
      aria-label="Walking"
      className="flex max-w-full flex-wrap items-center gap-2 border border-base-content bg-base-100 px-2 py-1.5"
    >
      <select
        className="field h-6"
        aria-label="What blocks"
        value={everything ? "everything" : "chosen"}
        onChange={(event) => {
          setEverything(event.target.value === "everything");
          // The arrow keys walk on.
          event.target.closest("section")?.querySelector("canvas")?.focus();
        }}
      >
        <option value="chosen">the shapes chosen for parts block</option>
        <option value="everything">every part blocks as it is</option>
      </select>
      <span role="status" className={met ? "" : "text-soft"}>
        {problem ||
          (met
            ? `${met} is in the way`
            : !everything && unsaid
              ? `${whole(unsaid)} of ${whole(parts)} parts have no shape: they let you through`
              : "Arrow keys walk and turn, with Shift in large steps")}
      </span>
    </div>
  );
}
