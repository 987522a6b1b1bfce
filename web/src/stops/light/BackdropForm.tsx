import type { LightData } from "../../api/client";
import { ColorControl } from "../../ui/ColorControl";
import { useWhiteBackdrop } from "../../api/pointing";
import { Mark } from "../../ui/Mark";
import { NamedOptions } from "../../ui/NamedOptions";
import { Notice } from "../../ui/Notice";
import { NumberField } from "../../ui/NumberField";
import { type Put, rangeOf, type ValueOf } from "../../api/decisions";

/** What stands behind the subject and does not light it. */
export function BackdropForm({ move, data, onPut }: { move: number; data: LightData; onPut: Put }) {
  const told = data.backdrop;
  const white = useWhiteBackdrop(move);
  const kind = !told ? "" : told.image ? told.image : "color";
  const put = (value: ValueOf<"backdrop">) => onPut("environment", "backdrop", value);
  const now = told && {
    nit: told.nit,
    ...(told.image ? { image: told.image, turn_rad: told.turn_rad } : { color: told.color }),
  };
  return (
    <section
      aria-label="Backdrop"
      className="flex flex-wrap items-end gap-4 border-b border-base-300 bg-base-100 px-6 py-3"
    >
      <label className="block">
        <span className="block text-[12px] text-soft">Behind the subject</span>
        <select
          className="field"
          value={kind}
          onChange={(event) => {
            const chosen = event.target.value;
            put(chosen === "" ? null : chosen === "color" ? {} : { image: chosen });
          }}
        >
          <option value="">what lights it</option>
          <option value="color">a plain colour</option>
          <NamedOptions of={data.pictures} />
        </select>
      </label>
      <button
        className="press"
        disabled={white.isPending}
        title="As bright as the picture shows white, at the exposure both sides are shown at"
        onClick={() => white.mutate()}
      >
        White in the picture
      </button>
      {white.error && <Notice error={white.error} />}
      {told && now && (
        <>
          {!told.image && (
            <label className="flex items-center gap-1.5">
              Colour
              <ColorControl
                label="Colour of the backdrop"
                linear={told.color}
                onSet={(color) => put({ ...now, color })}
                bare
              />
            </label>
          )}
          <label className="flex items-center gap-1.5">
            Level{" "}
            <NumberField
              label="Level of the backdrop, nit"
              value={told.nit}
              range={rangeOf("backdrop", "nit")}
              onSet={(nit) => put({ ...now, nit })}
            />
            <span className="text-soft">nit</span>
          </label>
          {told.image && (
            <label className="flex items-center gap-1.5">
              Turn{" "}
              <NumberField
                label="Turn of the backdrop, degrees"
                value={(told.turn_rad * 180) / Math.PI}
                digits={3}
                range={{ words: "degrees" }}
                onSet={(degrees) => put({ ...now, turn_rad: (degrees * Math.PI) / 180 })}
              />
              °
            </label>
          )}
          <span className="tight flex items-center gap-2 text-[12px]">
            {told.mark && <Mark mark={told.mark} />} {told.text}
          </span>
        </>
      )}
      <p className="w-full text-[12px] text-soft">
        It is seen and gives no light: the picture that lights stays as it is.
      </p>
    </section>
  );
}
