import { type KeyboardEvent, type MouseEvent, useRef, useState } from "react";

import { pictures } from "../../../api/client";

interface Mark {
  number: number;
  pixel: number[];
  doubtful: boolean;
}

const CLOSEST = 8;

/** A picture on which places are pressed: by the pointer, or by a cross that the arrow keys move and Enter sets. */
export function Pressed({
  shown,
  name,
  width,
  height,
  marks,
  onPress,
}: {
  shown: string;
  name: string;
  /** Pixels of the picture as it was given. */
  width: number;
  height: number;
  marks: Mark[];
  onPress: (pixel: [number, number]) => void;
}) {
  const [scale, setScale] = useState(1);
  const [cross, setCross] = useState<[number, number] | null>(null);
  const sheet = useRef<HTMLDivElement>(null);
  const closer = (factor: number) => setScale((now) => Math.min(Math.max(now * factor, 1), CLOSEST));
  const press = (event: MouseEvent) => {
    const box = sheet.current!.getBoundingClientRect();
    onPress([
      ((event.clientX - box.left) / box.width) * width,
      ((event.clientY - box.top) / box.height) * height,
    ]);
  };
  const key = (event: KeyboardEvent) => {
    const far = event.shiftKey ? 10 : 1;
    const step = { ArrowLeft: [-far, 0], ArrowRight: [far, 0], ArrowUp: [0, -far], ArrowDown: [0, far] }[
      event.key
    ];
    if (step) {
      event.preventDefault();
      setCross((before) => {
        const [x, y] = before ?? [width / 2, height / 2];
        return [Math.min(Math.max(x + step[0]!, 0), width), Math.min(Math.max(y + step[1]!, 0), height)];
      });
    } else if (event.key === "Enter" && cross) onPress(cross);
    else if (event.key === "+" || event.key === "=") closer(1.5);
    else if (event.key === "-") closer(1 / 1.5);
    else if (event.key === "0") setScale(1);
  };
  const at = ([x, y]: number[]) => ({ left: `${(x! / width) * 100}%`, top: `${(y! / height) * 100}%` });
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col bg-booth">
      <div className="min-h-0 flex-1 overflow-auto">
        <div
          ref={sheet}
          role="application"
          aria-label={`${name}: press places; arrow keys move a cross, Enter sets it`}
          tabIndex={0}
          className="relative cursor-crosshair"
          style={{ width: `${scale * 100}%`, aspectRatio: `${width} / ${height}` }}
          onClick={press}
          onKeyDown={key}
          onWheel={(event) => event.ctrlKey && closer(event.deltaY < 0 ? 1.25 : 0.8)}
        >
          <img src={pictures.blob(shown)} alt={name} draggable={false} className="block h-full w-full" />
          {marks.map((mark) => (
            <span
              key={mark.number}
              className="pointer-events-none absolute -translate-x-1/2 -translate-y-1/2"
              style={at(mark.pixel)}
            >
              <span
                className={`block h-2.5 w-2.5 rounded-full border-2 border-[#fbfaf8] ${mark.doubtful ? "bg-[#22241f]" : "bg-[#9a2e40]"}`}
              />
              <span className="plate absolute bottom-1 left-2 px-1 font-mono text-[12px]">
                {mark.number}
                {mark.doubtful ? "?" : ""}
              </span>
            </span>
          ))}
          {cross && (
            <span
              aria-hidden
              className="pointer-events-none absolute h-5 w-5 -translate-x-1/2 -translate-y-1/2 before:absolute before:top-1/2 before:h-px before:w-full before:bg-[#9a2e40] after:absolute after:left-1/2 after:h-full after:w-px after:bg-[#9a2e40]"
              style={at(cross)}
            />
          )}
        </div>
      </div>
      <div className="flex items-center gap-1.5 p-2">
        <button className="plate cursor-pointer" onClick={() => closer(1.5)}>
          closer
        </button>
        <button className="plate cursor-pointer" disabled={scale === 1} onClick={() => setScale(1)}>
          {scale === 1 ? "whole picture" : `${scale.toFixed(1)} times, show all`}
        </button>
      </div>
    </div>
  );
}
