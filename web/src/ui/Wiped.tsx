import { useState } from "react";

import { Slider } from "./Slider";

/** One image in two states, the old one left of a line that is moved by hand or by arrow keys. */
export function Wiped({ label, before, after }: { label: string; before: string; after: string }) {
  const [share, setShare] = useState(50);
  return (
    <figure>
      <div className="relative aspect-square bg-booth">
        <img alt={`${label}, now`} src={after} loading="lazy" className="h-full w-full object-contain" />
        <img
          alt={`${label}, before`}
          src={before}
          loading="lazy"
          className="absolute inset-0 h-full w-full object-contain"
          style={{ clipPath: `inset(0 ${100 - share}% 0 0)` }}
        />
        <div aria-hidden className="absolute inset-y-0 w-px bg-primary" style={{ left: `${share}%` }} />
      </div>
      <Slider
        label={`${label}: how much of it is shown as it was before`}
        value={share}
        least={0}
        most={100}
        step={1}
        onChange={setShare}
      />
    </figure>
  );
}
