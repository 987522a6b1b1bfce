import { useState } from "react";

import { type Kept, type Material, pictures } from "../../api/client";
import {
  useBackOnShelf,
  useBringKept,
  useFromKept,
  useKeep,
  useKept,
  useRenameKept,
  useTakeOffShelf,
} from "../../api/shelf";
import { Notice } from "../../ui/Notice";

/** A person's own shelf: put one on the material shown, keep that one, bring and take MaterialX. */
export function OwnShelf({
  move,
  material,
  onDone,
}: {
  move: number;
  material: Material;
  onDone: () => void;
}) {
  const kept = useKept();
  const keep = useKeep(move);
  const bring = useBringKept();
  const put = useFromKept(move);
  const takeOff = useTakeOffShelf();
  const back = useBackOnShelf();
  const [name, setName] = useState(material.name);
  const [base, setBase] = useState<number | null>(null);
  const bases = kept.data?.filter((one) => one.variant_of === null) ?? [];
  const looksOf = (base: Kept) => [base, ...(kept.data?.filter((one) => one.variant_of === base.id) ?? [])];
  const [tidying, setTidying] = useState(false);
  const [gone, setGone] = useState<Kept | null>(null);
  const error = kept.error ?? keep.error ?? bring.error ?? put.error ?? takeOff.error ?? back.error;
  return (
    <section aria-label="Yours" className="mt-2">
      <div className="flex flex-wrap items-center gap-2">
        <h3 className="mr-auto text-soft">Yours, in every move</h3>
        <form
          className="flex items-center gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate({ material: material.id, name: name.trim(), variant_of: base });
          }}
        >
          <input
            className="field w-28"
            aria-label="Name to keep it under"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          {bases.length > 0 && (
            <VariantOf label="Keep it as" bases={bases} chosen={base} onChoose={setBase} />
          )}
          <button className="press" disabled={!name.trim() || keep.isPending}>
            Keep it
          </button>
        </form>
        <label className="press relative cursor-pointer focus-within:outline-2">
          {bring.isPending ? "Bringing…" : "Bring MaterialX"}
          <input
            type="file"
            multiple
            className="sr-only"
            data-testid="materialx"
            onChange={(event) => {
              if (event.target.files?.length) bring.mutate([...event.target.files]);
              event.target.value = "";
            }}
          />
        </label>
        <a
          className="press"
          href={`/api/moves/${move}/material.zip?material=${encodeURIComponent(material.id)}`}
        >
          As MaterialX
        </a>
        {!!kept.data?.length && (
          <button className="press" aria-pressed={tidying} onClick={() => setTidying(!tidying)}>
            Tidy
          </button>
        )}
      </div>
      {error && <Notice error={error} />}
      {gone && (
        <p role="status" className="mt-1">
          {gone.name} was taken off the shelf.{" "}
          <button className="underline" onClick={() => back.mutate(gone, { onSuccess: () => setGone(null) })}>
            Put it back
          </button>
        </p>
      )}
      {kept.data?.length === 0 && !gone && (
        <p className="mt-1 text-soft">
          Nothing yet. Keep {material.name} with its images, or bring a .mtlx file, its images or a zip of
          them.
        </p>
      )}
      <ul className="mt-1 flex gap-2 overflow-x-auto pb-1">
        {bases.map((one) => (
          <li key={one.id} className="shrink-0">
            <ul
              className={`flex gap-2 ${looksOf(one).length > 1 ? "border border-base-300 p-1" : "py-1"}`}
              aria-label={one.name}
            >
              {looksOf(one).map((look) => (
                <li key={look.id} className="w-[84px] shrink-0">
                  <button
                    className="block w-full text-left hover:underline disabled:opacity-50"
                    disabled={put.isPending}
                    title={look === one ? undefined : `variant of ${one.name}`}
                    onClick={() => put.mutate({ kept: look.id, slot: material.id }, { onSuccess: onDone })}
                  >
                    <img
                      src={pictures.kept(look.id)}
                      alt=""
                      loading="lazy"
                      className="h-[76px] w-[76px] bg-booth"
                    />
                    <span className="tight block text-[12px] leading-tight">
                      {look !== one && <span className="sr-only">{one.name}, </span>}
                      {look.name}
                    </span>
                  </button>
                  {tidying && (
                    <Tidy
                      kept={look}
                      bases={bases.filter((other) => other.id !== look.id)}
                      onGone={() => takeOff.mutate(look, { onSuccess: () => setGone(look) })}
                    />
                  )}
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Tidy({ kept, bases, onGone }: { kept: Kept; bases: Kept[]; onGone: () => void }) {
  const rename = useRenameKept();
  const [name, setName] = useState(kept.name);
  return (
    <span className="mt-1 flex flex-col items-start gap-0.5 text-[12px]">
      <input
        className="field w-full text-[12px]"
        aria-label={`Name of ${kept.name}`}
        value={name}
        onChange={(event) => setName(event.target.value)}
        onBlur={() => name.trim() && name !== kept.name && rename.mutate({ ...kept, name: name.trim() })}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
      {bases.length > 0 && (
        <VariantOf
          label={`What ${kept.name} is`}
          bases={bases}
          chosen={kept.variant_of}
          onChoose={(variant_of) => rename.mutate({ ...kept, variant_of })}
        />
      )}
      <a className="underline" href={`/api/kept/${kept.id}.zip`}>
        as MaterialX
      </a>
      <button className="underline" onClick={onGone}>
        take off
      </button>
    </span>
  );
}

/** Whether a material stands by itself, or is another look of one that does. */
function VariantOf({
  label,
  bases,
  chosen,
  onChoose,
}: {
  label: string;
  bases: Kept[];
  chosen: number | null;
  onChoose: (base: number | null) => void;
}) {
  return (
    <select
      className="field w-full max-w-40 text-[12px]"
      aria-label={label}
      value={chosen ?? ""}
      onChange={(event) => onChoose(event.target.value ? Number(event.target.value) : null)}
    >
      <option value="">by itself</option>
      {bases.map((one) => (
        <option key={one.id} value={one.id}>
          a variant of {one.name}
        </option>
      ))}
    </select>
  );
}
