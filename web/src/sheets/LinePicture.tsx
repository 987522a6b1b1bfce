import type { ReactNode } from "react";

import type { SheetLine } from "../api/client";

const PERSON_M = 1.75;
const thin = { fill: "none", stroke: "currentColor", strokeWidth: 1 } as const;
const thick = { ...thin, strokeWidth: 2.5 } as const;

function Words({
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

function Product({ counts, left, right }: { counts: boolean; left: string; right: string }) {
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

function drawing(line: SheetLine): ReactNode {
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

/** A small drawing of what a line says. The words beside it say the same, so it is hidden from screen readers. */
export function LinePicture({ line }: { line: SheetLine }) {
  const drawn = drawing(line);
  return (
    <svg viewBox="0 0 64 54" className="h-[54px] w-16 shrink-0" aria-hidden="true">
      {drawn}
    </svg>
  );
}
