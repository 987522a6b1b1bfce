import { useState } from "react";

import { type ImageFile, pictures } from "../../api/client";
import { useImageFacts } from "../../api/facts";
import { bytes } from "../../ui/format";

const HIGH = 44;

/** One image large: as it is or channel by channel, how its values spread, what was seen in it and who reads it. */
export function ImageViewer({ move, image }: { move: number; image: ImageFile }) {
  const [channel, setChannel] = useState("rgb");
  const facts = useImageFacts(move, image.problem ? null : image.id);
  const letters = ["rgb", ...(facts.data?.channels.map((one) => one.letter) ?? [])];
  const shown = letters.includes(channel) ? channel : "rgb";
  return (
    <div className="max-h-[58%] shrink-0 overflow-y-auto border-t border-base-300 bg-base-100 p-4">
      {!image.problem && (
        <div className="mb-2 flex gap-3">
          <img
            src={pictures.image(move, image.id, 512, shown)}
            alt={image.name}
            className="h-44 w-44 shrink-0 bg-booth object-contain"
          />
          <div className="min-w-0 flex-1">
            <div role="group" aria-label="Channel" className="flex flex-wrap gap-1">
              {letters.map((letter) => (
                <button
                  key={letter}
                  aria-pressed={shown === letter}
                  className={`press min-w-7 px-1.5 ${shown === letter ? "font-semibold underline" : ""}`}
                  onClick={() => setChannel(letter)}
                >
                  {letter === "rgb" ? "All" : letter.toUpperCase()}
                </button>
              ))}
            </div>
            {facts.data?.channels.map((one) => (
              <div key={one.letter} className="mt-1.5 flex items-end gap-2">
                <span className="w-3 font-mono text-[12px]">{one.letter.toUpperCase()}</span>
                <Histogram counts={one.counts} />
                <span className="font-mono text-[11px] text-soft">
                  {one.low.toFixed(2)}–{one.high.toFixed(2)}, mean {one.mean.toFixed(2)}
                </span>
              </div>
            ))}
          </div>
        </div>
      )}
      <p className="font-mono text-[12px] break-all">{image.path}</p>
      <p className="text-soft">
        {image.problem ||
          `${image.kind.toUpperCase()} · ${image.width} × ${image.height} · ${image.channels} channel${image.channels === 1 ? "" : "s"} · ${image.depth} bits · ${bytes(image.size)}`}
        {facts.data ? `, ${bytes(facts.data.memory)} unpacked` : ""}
      </p>
      {facts.data && (
        <p>{facts.data.sees.map((text) => text[0]!.toUpperCase() + text.slice(1)).join(". ")}.</p>
      )}
      <p className="text-soft">
        {image.used_by.length ? `Read by ${image.used_by.join("; ")}.` : "Nothing reads it."}
      </p>
    </div>
  );
}

function Histogram({ counts }: { counts: number[] }) {
  const most = Math.max(...counts, 1);
  return (
    <svg
      viewBox={`0 0 ${counts.length} ${HIGH}`}
      preserveAspectRatio="none"
      className="h-6 min-w-0 flex-1 border-b border-base-content"
      aria-hidden
    >
      {counts.map((count, at) => {
        const high = count ? Math.max((Math.sqrt(count / most) * HIGH) | 0, 1) : 0;
        return <rect key={at} x={at} y={HIGH - high} width={0.9} height={high} fill="currentColor" />;
      })}
    </svg>
  );
}
