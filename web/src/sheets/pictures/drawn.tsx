import type { ReactNode } from "react";

export const thin = { fill: "none", stroke: "currentColor", strokeWidth: 1 } as const;

export const thick = { ...thin, strokeWidth: 2.5 } as const;

export function Words({
  x,
  y,
  children,
  anchor = "middle",
}: {
  x: number;
  y: number;
  children: ReactNode;
  anchor?: "start" | "middle" | "end";
}) {
  return (
    <text x={x} y={y} fontSize="9" textAnchor={anchor} fill="currentColor">
      {children}
    </text>
  );
}

export function Product({ counts, left, right }: { counts: boolean; left: string; right: string }) {
  return (
    <>
      <rect x="4" y="10" width="20" height="20" {...thin} />
      <path d="M4 20 L14 10 M4 30 L24 10 M14 30 L24 20" {...thin} />
      <Words x={14} y={42}>
        {left}
      </Words>
      <Words x={32} y={24}>
        ×
      </Words>
      <rect
        x="40"
        y="10"
        width="20"
        height="20"
        fill="currentColor"
        fillOpacity="0.55"
        stroke="currentColor"
      />
      <Words x={50} y={42}>
        {right}
      </Words>
      {!counts && <path d="M37 33 L63 7" {...thick} />}
    </>
  );
}
