import type { ReactNode } from "react";

import type { SheetLine } from "../../api/client";
import { Product, Words, thick, thin } from "./drawn";

const STEPS = "M6 42 V36 H16 V28 H26 V20 H36 V12 H46 V6 H58";

function Alpha({ shown }: { shown: string[] }) {
  return (
    <>
      <rect
        x="3"
        y="14"
        width="17"
        height="17"
        fill="currentColor"
        opacity={shown.includes("opaque") ? 1 : 0.12}
      />
      <path
        d="M24 14 h17 v17 h-17 z M28 18 v9 h9 v-9 z"
        fill="currentColor"
        fillRule="evenodd"
        opacity={shown.includes("mask") ? 1 : 0.12}
      />
      {[0, 1, 2, 3].map((k) => (
        <rect
          key={k}
          x={45 + k * 4.25}
          y="14"
          width="4.25"
          height="17"
          fill="currentColor"
          opacity={shown.includes("blend") ? 1 - k * 0.28 : 0.12}
        />
      ))}
      {(["opaque", "mask", "blend"] as const).map(
        (mode, k) => !shown.includes(mode) && <path key={mode} d={`M${3 + k * 21} 33 l17 -21`} {...thin} />,
      )}
    </>
  );
}

function Sides({ rule }: { rule: string }) {
  return (
    <>
      <path d="M8 12 L30 8 V38 L8 42 Z" fill="currentColor" fillOpacity="0.7" stroke="currentColor" />
      <Words x={19} y={51}>
        front
      </Words>
      <path d="M36 8 L58 12 V42 L36 38 Z" {...thin} strokeDasharray={rule === "never" ? "2 2" : undefined} />
      {rule !== "never" &&
        [14, 20, 26, 32].map((y) => (
          <path
            key={y}
            d={`M36 ${y + 4} L58 ${y - 2}`}
            {...thin}
            strokeDasharray={rule === "flag" ? "3 2" : undefined}
          />
        ))}
      <Words x={47} y={51}>
        back
      </Words>
    </>
  );
}

/** Drawings of lines about images. */
export function images(line: SheetLine): ReactNode {
  const value: unknown = line.value;
  switch (line.path) {
    case "images.folder":
      return (
        <>
          <rect x="6" y="8" width="24" height="10" {...thin} />
          <path d={value ? "M12 18 V34 H26" : "M34 13 H40"} {...thin} />
          <rect x={value ? 26 : 40} y={value ? 28 : 8} width="18" height="12" {...thick} />
        </>
      );
    case "images.kind":
      return (
        <>
          <path d="M18 4 H38 L46 12 V46 H18 Z M38 4 V12 H46" {...thin} />
          <Words x={32} y={32}>
            {String(value).toUpperCase()}
          </Words>
        </>
      );
    case "images.depth":
      return value === 16 ? <path d="M6 42 L58 6" {...thick} /> : <path d={STEPS} {...thick} />;
    case "images.power_of_two":
      return (
        <>
          <rect x="8" y="6" width="36" height="36" {...thin} />
          {value === true ? (
            <path d="M8 24 H26 V42 M8 33 H17 V42" {...thin} />
          ) : (
            <rect x="8" y="19" width="29" height="23" {...thin} strokeDasharray="2 2" />
          )}
        </>
      );
    case "images.largest":
      return (
        <>
          <rect x="14" y="4" width="32" height="32" {...thin} strokeDasharray={value ? undefined : "2 2"} />
          <path d="M14 41 H46 M14 38 V44 M46 38 V44" {...thin} />
          <Words x={30} y={23}>
            {value ? String(value) : "any"}
          </Words>
        </>
      );
    case "materials.alpha":
      return <Alpha shown={value as string[]} />;
    case "materials.two_sided":
      return <Sides rule={String(value)} />;
    case "materials.vertex_color":
      return (
        <>
          <path d="M10 40 L32 6 L54 40 Z" {...thin} />
          {[
            [10, 40],
            [32, 6],
            [54, 40],
          ].map(([x, y], k) => (
            <circle
              key={k}
              cx={x}
              cy={y}
              r="4"
              fill="currentColor"
              fillOpacity={value === "multiplies" ? 0.3 + k * 0.35 : 0}
              stroke="currentColor"
            />
          ))}
          {value === "ignored" && <path d="M8 46 L56 4" {...thick} />}
        </>
      );
    case "materials.texture_transform":
      return (
        <>
          <rect
            x="8"
            y="8"
            width="34"
            height="34"
            {...thin}
            strokeDasharray={value === true ? "2 2" : undefined}
          />
          {value === true && (
            <rect x="20" y="14" width="20" height="20" {...thick} transform="rotate(20 30 24)" />
          )}
        </>
      );
    case "materials.occlusion_multiplied":
      return <Product counts={value === true} left="colour" right="occl." />;
    default:
      return null;
  }
}
