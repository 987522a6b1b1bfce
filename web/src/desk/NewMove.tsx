import { useRef, useState } from "react";

import { api, type DroppedFile, got, type Move, upload } from "../api/client";
import { useSamples } from "../api/hooks";
import { useSheets } from "../api/sheets";
import { bytes } from "../ui/format";
import { Notice } from "../ui/Notice";
import { SheetOptions } from "../ui/SheetOptions";

const MODELS = /\.(glb|gltf|obj|ply|stl|dae|usd[acz]?)$/i;

interface Props {
  files: DroppedFile[] | null;
  over: boolean;
  onFiles: (files: DroppedFile[] | null) => void;
  onMade: (move: Move) => void;
}

/** Where files are dropped, and the two sheets chosen, before a move is made. */
export function NewMove({ files, over, onFiles, onMade }: Props) {
  const sheets = useSheets();
  const chooser = useRef<HTMLInputElement>(null);
  const [source, setSource] = useState("plain");
  const [destination, setDestination] = useState("lanterna");
  const [apart, setApart] = useState(false);
  const samples = useSamples();
  const models = files?.filter(({ path }) => MODELS.test(path)).length ?? 0;
  const [sent, setSent] = useState<number | null>(null);
  const [error, setError] = useState<unknown>(null);
  const size = files?.reduce((total, { file }) => total + file.size, 0) ?? 0;
  const chosen = sheets.data?.find((sheet) => sheet.name.toLowerCase() === source);
  const target = sheets.data?.find((sheet) => sheet.name.toLowerCase() === destination);

  async function begin() {
    if (!files) return;
    setError(null);
    setSent(0);
    try {
      const move = await upload<Move>(
        "/moves",
        files,
        { source, destination, apart: String(apart && models > 1) },
        setSent,
      );
      onFiles(null);
      onMade(move);
    } catch (fault) {
      setError(fault);
    } finally {
      setSent(null);
    }
  }

  async function beginSample(file: string) {
    setError(null);
    try {
      onMade(await got(api.POST("/api/moves/from-sample", { body: { file, destination } })));
    } catch (fault) {
      setError(fault);
    }
  }

  return (
    <section
      aria-label="New move"
      className={`my-5 border border-dashed bg-base-100 p-5 ${over ? "border-primary" : "border-base-content"}`}
    >
      {!files?.length ? (
        <div className="flex items-center gap-4">
          <div className="flex-1">
            <p className="text-[15px] font-semibold">
              {over ? "Let go to begin" : "Drop a scene anywhere on this page"}
            </p>
            <p className="text-soft">
              glTF, OpenUSD, COLLADA, OBJ, PLY, STL, or a MaterialX library; a zip, a folder, or many files
              together. Images may lie in any folder.
            </p>
            {(samples.data?.length ?? 0) > 0 && (
              <p className="mt-2 text-soft">
                Or begin with a sample:{" "}
                {samples.data?.map((sample, at) => (
                  <span key={sample.file}>
                    {at > 0 && ", "}
                    <button
                      className="text-base-content underline"
                      title={sample.note}
                      disabled={sent !== null}
                      onClick={() => void beginSample(sample.file)}
                    >
                      {sample.title}
                    </button>
                  </span>
                ))}
              </p>
            )}
          </div>
          <button className="press" onClick={() => chooser.current?.click()}>
            Choose files
          </button>
          <input
            ref={chooser}
            type="file"
            multiple
            hidden
            data-testid="files"
            onChange={(event) =>
              onFiles([...(event.target.files ?? [])].map((file) => ({ path: file.name, file })))
            }
          />
        </div>
      ) : (
        <div className="grid grid-cols-[1fr_1fr_auto] items-end gap-5">
          <div className="col-span-3 flex items-baseline gap-3">
            <span className="text-[15px] font-semibold">
              {files.length === 1 ? files[0]!.path : `${files.length} files`}
            </span>
            <span className="font-mono text-soft">{bytes(size)}</span>
            <button className="underline" onClick={() => onFiles(null)} disabled={sent !== null}>
              Choose others
            </button>
            {models > 1 && (
              <label className="flex items-center gap-2">
                <input type="checkbox" checked={apart} onChange={(event) => setApart(event.target.checked)} />
                {models} models: a move for each, instead of one scene
              </label>
            )}
          </div>
          <label className="block">
            <span className="mb-1 block text-soft">It comes from</span>
            <select
              className="field w-full"
              value={source}
              onChange={(event) => setSource(event.target.value)}
            >
              <SheetOptions to="source" />
            </select>
            <span className="mt-1 block min-h-9 text-[12px] text-soft">{chosen?.summary}</span>
          </label>
          <label className="block">
            <span className="mb-1 block text-soft">It goes to</span>
            <select
              className="field w-full"
              value={destination}
              onChange={(event) => setDestination(event.target.value)}
            >
              <SheetOptions to="destination" />
            </select>
            <span className="mt-1 block min-h-9 text-[12px] text-soft">{target?.summary}</span>
          </label>
          <button className="press press-main mb-10" onClick={() => void begin()} disabled={sent !== null}>
            {sent === null ? "Begin the move" : `Sending ${Math.round(sent * 100)} %`}
          </button>
        </div>
      )}
      {error !== null && <Notice error={error} />}
    </section>
  );
}
