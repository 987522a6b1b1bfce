import type { ReactNode } from "react";

import type { SheetLine } from "../../api/client";
import { thin, thick, Words } from "./drawn";

function Lamps({ kinds }: { kinds: string[] }) {
  const shown = (kind: string) => (kinds.includes(kind) ? 1 : 0.15);
  return (
    <>
      <g opacity={shown("sun")}>
        {[8, 12, 16].map((x) => (
          <path key={x} d={`M${x} 10 l-4 24`} {...thin} />
        ))}
      </g>
      <g opacity={shown("point")}>
        <circle cx="32" cy="22" r="3" fill="currentColor" />
        <path d="M32 10 V15 M32 29 V34 M20 22 H25 M39 22 H44" {...thin} />
      </g>
      <g opacity={shown("spot")}>
        <path d="M54 10 L47 34 H61 Z" {...thin} />
        <circle cx="54" cy="10" r="2" fill="currentColor" />
      </g>
      <Words x={10} y={47}>
        sun
      </Words>
      <Words x={32} y={47}>
        point
      </Words>
      <Words x={54} y={47}>
        spot
      </Words>
    </>
  );
}

/** Drawings of lines about lights. */
export function lights(line: SheetLine): ReactNode {
  const value: unknown = line.value;
  switch (line.path) {
    case "lights.kinds":
      return <Lamps kinds={value as string[]} />;
    case "lights.most":
      return value === 0 ? (
        <Words x={32} y={28}>
          any number
        </Words>
      ) : (
        <>
          {Array.from({ length: Math.min(Number(value), 10) }, (_, k) => (
            <circle
              key={k}
              cx={10 + (k % 5) * 11}
              cy={16 + Math.floor(k / 5) * 14}
              r="4"
              fill="currentColor"
            />
          ))}
        </>
      );
    case "lights.environment":
      return (
        <>
          <rect
            x="4"
            y="10"
            width="56"
            height="28"
            {...thin}
            strokeDasharray={value === true ? undefined : "2 2"}
          />
          {value === true && (
            <>
              <path d="M4 28 C16 22 24 30 36 26 S52 24 60 28" {...thin} />
              <circle cx="46" cy="18" r="3.5" fill="currentColor" />
            </>
          )}
        </>
      );
    case "lights.cone":
      return (
        <>
          <path
            d="M32 6 L10 46 H54 Z"
            {...thin}
            fill="currentColor"
            fillOpacity={value === "outer only" ? 0.3 : 0.1}
          />
          {value !== "outer only" && (
            <path d="M32 6 L22 46 H42 Z" {...thin} fill="currentColor" fillOpacity="0.3" />
          )}
        </>
      );
    case "lights.sizes":
      return (
        <>
          <circle
            cx="14"
            cy="12"
            r={value === true ? 8 : 3}
            {...thin}
            fill="currentColor"
            fillOpacity="0.3"
          />
          <path d="M30 22 H38 V44 H30 Z" fill="currentColor" />
          <path d="M38 44 H58" {...thick} />
          {value === true && <path d="M38 40 L60 46" {...thin} strokeDasharray="2 2" />}
        </>
      );
    case "lights.backdrop":
      return (
        <>
          <rect
            x="4"
            y="8"
            width="56"
            height="32"
            {...thin}
            strokeDasharray={value === true ? undefined : "2 2"}
          />
          {value === true && <path d="M4 14 H60 M4 20 H60 M4 26 H60" {...thin} strokeOpacity="0.4" />}
          <circle cx="32" cy="32" r="9" fill="currentColor" />
        </>
      );
    case "cameras.lens":
      return (
        <>
          <path d="M18 8 C26 18 26 36 18 46 C10 36 10 18 18 8 Z" {...thin} />
          {value === true ? (
            <path d="M18 8 L48 27 L18 46 M48 22 V32" {...thin} />
          ) : (
            <path d="M18 14 H56 M18 27 H56 M18 40 H56" {...thin} />
          )}
        </>
      );
    case "cameras.shift":
      return (
        <>
          <path d="M8 27 L44 8 V46 Z" {...thin} />
          <path d="M8 27 H56" {...thin} strokeDasharray="2 2" />
          <rect x="40" y={value === true ? 8 : 17} width="16" height="20" {...thick} />
        </>
      );
    default:
      return null;
  }
}
