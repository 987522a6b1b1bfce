import type { ReactNode } from "react";

import type { SheetLine } from "../../api/client";
import { Product, Words, thick, thin } from "./drawn";

const PERSON_M = 1.75;

function Axes({ up }: { up: string }) {
  const ground = ["X", "Y", "Z"].filter((axis) => axis !== up);
  return (
    <>
      <path d="M8 40 L30 46 L56 38 L34 33 Z" {...thin} strokeDasharray="2 2" />
      <path d="M32 39 V8 M28 13 L32 7 L36 13" {...thick} />
      <path d="M32 39 L50 43 M32 39 L14 43" {...thin} />
      <Words x={42} y={14} anchor="start">
        {up}
      </Words>
      <Words x={55} y={47}>
        {ground[0]}
      </Words>
      <Words x={8} y={47}>
        {ground[1]}
      </Words>
    </>
  );
}

/** One unit as a cube beside a person, to scale. */

function Unit({ metres }: { metres: number }) {
  const side = Math.min(Math.max((metres * 36) / PERSON_M, 1.2), 40);
  return (
    <>
      <circle cx="14" cy="9" r="3.5" {...thin} />
      <path d="M14 13 V30 L10 45 M14 30 L18 45 M8 19 H20" {...thin} />
      <rect x="28" y={45 - side} width={Math.min(side, 34)} height={side} {...thick} />
    </>
  );
}

function Bump({ up }: { up: boolean }) {
  return (
    <>
      <rect x="10" y="4" width="44" height="40" {...thin} />
      <circle cx="32" cy="24" r="13" {...thin} />
      <path
        d={up ? "M19 24 A13 13 0 0 1 45 24 Z" : "M19 24 A13 13 0 0 0 45 24 Z"}
        fill="currentColor"
        opacity="0.75"
      />
      <Words x={32} y={up ? 20 : 34}>
        <tspan fill="var(--color-base-100)">G</tspan>
      </Words>
    </>
  );
}

function Ramp({ left, right }: { left: string; right: string }) {
  return (
    <>
      {[0, 1, 2, 3, 4].map((k) => (
        <rect
          key={k}
          x={7 + k * 10}
          y="8"
          width="10"
          height="18"
          fill="currentColor"
          fillOpacity={1 - k / 4}
          stroke="currentColor"
        />
      ))}
      <Words x={7} y={38} anchor="start">
        {left}
      </Words>
      <Words x={57} y={38} anchor="end">
        {right}
      </Words>
    </>
  );
}

function Plot({ values }: { values: number[] }) {
  return (
    <>
      <path d="M10 4 V42 H56" {...thin} />
      <polyline
        points={values.map((v, k) => `${10 + (46 * k) / (values.length - 1)},${42 - 36 * v}`).join(" ")}
        {...thick}
      />
      <Words x={56} y={51} anchor="end">
        gloss
      </Words>
      <Words x={13} y={11} anchor="start">
        dull
      </Words>
    </>
  );
}

/** Drawings of lines about conventions. */
export function conventions(line: SheetLine): ReactNode {
  const value: unknown = line.value;
  switch (line.path) {
    case "conventions.up_axis":
      return <Axes up={String(value)} />;
    case "conventions.unit_m":
      return <Unit metres={Number(value)} />;
    case "conventions.normal_green":
      return <Bump up={value === "up"} />;
    case "conventions.shininess":
      return value === "gloss" ? <Ramp left="dull" right="shiny" /> : <Ramp left="shiny" right="dull" />;
    case "conventions.gloss_curve":
    case "conventions.gloss_top":
      return <Plot values={line.plot} />;
    case "conventions.tint":
      return <Product counts={value === "multiplies the image"} left="image" right="tint" />;
    case "conventions.vertex_color_encoding":
      return (
        <>
          {(value === "srgb" ? [0, 0.25, 0.5, 0.75, 1] : [0, 0.54, 0.74, 0.88, 1]).map((shown, k) => (
            <rect
              key={k}
              x={7 + k * 10}
              y="8"
              width="10"
              height="18"
              fill={`rgb(${shown * 255} ${shown * 255} ${shown * 255})`}
              stroke="currentColor"
            />
          ))}
          <Words x={32} y={38}>
            0 ¼ ½ ¾ 1
          </Words>
        </>
      );
    case "conventions.ids_by_vertex_color":
      return (
        <>
          {[0, 1, 2].map((k) => (
            <rect
              key={k}
              x={6 + k * 18}
              y="12"
              width="16"
              height="22"
              fill="currentColor"
              fillOpacity={value === true ? 0.2 + k * 0.3 : 0}
              stroke="currentColor"
            />
          ))}
          {value === true ? (
            [0, 1, 2].map((k) => (
              <Words key={k} x={14 + k * 18} y={46}>
                {k + 1}
              </Words>
            ))
          ) : (
            <path d="M10 28 C20 14 28 34 36 22 S52 18 56 26" {...thin} />
          )}
        </>
      );
    default:
      return null;
  }
}
