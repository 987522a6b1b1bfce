import type { ReactNode } from "react";

import type { SheetLine } from "../../api/client";
import { thin, Words } from "./drawn";

/** Drawings of lines about lightmaps. */
export function lightmaps(line: SheetLine): ReactNode {
  const value: unknown = line.value;
  switch (line.path) {
    case "lightmaps.taken":
      return (
        <>
          <rect
            x="12"
            y="6"
            width="40"
            height="40"
            {...thin}
            strokeDasharray={value === true ? undefined : "2 2"}
          />
          {value === true && (
            <>
              <path d="M12 46 L40 6 L52 6 L52 46 Z" fill="currentColor" fillOpacity="0.15" />
              <path d="M22 46 L44 6 M32 46 L50 14" {...thin} />
            </>
          )}
        </>
      );
    case "lightmaps.encoding":
      return (
        <Words x={32} y={30}>
          {line.choices.find((choice) => choice.value === value)?.sign}
        </Words>
      );
    case "lightmaps.packing":
      return value === "together" ? (
        <>
          <rect x="12" y="6" width="40" height="40" {...thin} />
          <path d="M12 24 H52 M34 6 V24 M24 24 V46 M24 36 H52" {...thin} />
        </>
      ) : (
        <>
          {[
            [8, 6],
            [36, 6],
            [8, 30],
            [36, 30],
          ].map(([x, y], k) => (
            <rect key={k} x={x} y={y} width="20" height="18" {...thin} />
          ))}
        </>
      );
    case "lightmaps.largest":
      return (
        <>
          <rect x="14" y="4" width="32" height="32" {...thin} />
          <path d="M14 41 H46 M14 38 V44 M46 38 V44" {...thin} />
          <Words x={30} y={23}>
            {String(value)}
          </Words>
        </>
      );
    case "lightmaps.budget_mib":
      return <Words x={32} y={30}>{`${String(value)} MiB`}</Words>;
    case "lightmaps.compressed":
      return (
        <>
          <rect x="14" y="8" width="36" height="36" {...thin} />
          {value === true && (
            <path d="M23 8 V44 M32 8 V44 M41 8 V44 M14 17 H50 M14 26 H50 M14 35 H50" {...thin} />
          )}
        </>
      );
    case "lightmaps.direction":
      return (
        <>
          <path d="M6 42 C14 30 20 42 28 36 S44 30 58 42" {...thin} />
          {value === true && <path d="M50 6 L32 26 M32 26 L33 18 M32 26 L40 25" {...thin} />}
        </>
      );
    case "lightmaps.probes":
      return (
        <>
          <path d="M6 40 H58" {...thin} strokeDasharray="2 2" />
          {[14, 32, 50].map((x) => (
            <circle
              key={x}
              cx={x}
              cy="24"
              r="6"
              {...thin}
              fill={value === true ? "currentColor" : "none"}
              fillOpacity="0.3"
            />
          ))}
        </>
      );
    default:
      return null;
  }
}
