import createClient from "openapi-fetch";

import type { components, paths } from "./schema";

type Schemas = components["schemas"];
export type Move = Schemas["MoveOut"];
export type Job = Schemas["JobOut"];
export type JobAsked = Pick<Schemas["JobIn"], "kind"> & { settings?: Partial<Schemas["JobSettings"]> };
export type Sheet = Schemas["SheetOut"];
export type MaterialWanted = Schemas["MakeMaterial"];
export type Moving = Schemas["MovingOut"];
export type Seen = Schemas["SeenOut"];
export type OwnPicture = Schemas["OwnPictureOut"];
export type OwnPictures = Schemas["OwnPicturesOut"];
export type Gauge = Schemas["GaugeOut"];
export type GaugeBoard = Schemas["BoardOut"];
export type GaugeFound = Schemas["GaugeFound"];
export type GaugeLine = Schemas["GaugeLine"];
export type OwnPixel = Schemas["OwnPixelOut"];
export type MatchedLight = Schemas["MatchedOut"];
export type FoundCamera = Schemas["FoundCameraOut"];
export type Explanation = Schemas["ExplanationOut"];
export type Kept = Schemas["KeptOut"];
export type FromKept = Pick<Schemas["FromKept"], "kept"> & Partial<Schemas["FromKept"]>;
export type SheetLine = Schemas["SheetLine"];
export type SheetInput = Schemas["InputSpecOut"];
export type SheetDifference = Schemas["DifferenceOut"];
export type { Decision } from "./decisions";
export type KindRule = Schemas["KindRule"];
export type Finding = Schemas["FindingOut"];
export type Inventory = Schemas["InventoryOut"];
export type Part = Schemas["PartOut"];
export type Material = Schemas["MaterialOut"];
export type MaterialInput = Schemas["InputOut"];
export type Layer = Schemas["LayerOut"];
export type ImageFile = Schemas["ImageOut"];
export type ImageFacts = Schemas["ImageFacts"];
export type SampleFile = Schemas["SampleFileOut"];
export type Camera = Schemas["CameraOut"];
export type Light = Schemas["LightOut"];
export type LightData = Schemas["LightStopOut"];
export type Lens = Schemas["LensOut"];
export type Panel = Schemas["PanelOut"];
export type Daylight = Schemas["DaylightOut"];
export type Mix = Schemas["MixOut"];
export type Lightmaps = Schemas["LightmapsOut"];
export type LightmapPart = Schemas["LightmapPart"];
export type LightmapFault = Schemas["FaultOut"];
export type Fit = Schemas["FitOut"];
export type Crossing = Schemas["CrossingOut"];
export type PlannedImage = Schemas["PlannedOut"];
export type Families = Schemas["FamiliesOut"];
export type Proposal = Schemas["ProposalOut"];
export type HistoryRow = Schemas["HistoryOut"];
export type Paint = Schemas["PaintOut"];
export type CollisionCost = Schemas["CollisionOut"];
export type Shelf = Schemas["ShelfOut"];
export type Texel = Schemas["TexelOut"];
export type Sample = Schemas["SampleOut"];
export type Lit = Schemas["LitOut"];
export type Glance = Schemas["GlanceOut"];
export type Opening = Schemas["OpeningOut"];
export type FileRow = Schemas["FileOfMove"];
export type Proofs = Schemas["ProofsOut"];
export type ProofRow = Schemas["ProofOut"];
export type PixelRead = Schemas["PixelOut"];
export type Accounts = Schemas["AccountsOut"];
export type NearestRows = Schemas["NearestRows"];
export type NearestRow = Schemas["NearestRow"];
export type Nearest = Schemas["NearestOut"];
export type Budget = Schemas["BudgetOut"];
export type Elsewhere = Schemas["ElsewhereOut"];
export type Nudged = Schemas["Nudged"];
export type NearestChange = Schemas["NearestChange"];
export type Again = Schemas["AgainOut"];
export type AccountEntry = Schemas["AccountEntry"];
export type Handover = Schemas["HandoverOut"];

/** A refusal from the server: what, where, and what to do next. */
export class Refused extends Error {
  constructor(
    readonly what: string,
    readonly where: string,
    readonly remedy: string,
    readonly status = 0,
  ) {
    super(what);
  }
}

function asText(value: unknown, fallback: string): string {
  return typeof value === "string" ? value : fallback;
}

/** Every address of the server, as its description has it. */
export const api = createClient<paths>({ baseUrl: "" });

/** What an answer holds. Throws Refused, in the server's words where it gave any. */
export async function got<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const answer = await asked.catch(() => {
    throw new Refused("The server does not answer.", "Trasloco", "Check that it is running, then try again.");
  });
  if (answer.response.ok) return answer.data as T;
  const body = (typeof answer.error === "object" ? answer.error : {}) as Record<string, unknown>;
  throw new Refused(
    asText(body.what, `The server answered ${answer.response.status}.`),
    asText(body.where, new URL(answer.response.url).pathname),
    asText(body.remedy, "Try again."),
    answer.response.status,
  );
}

const q = encodeURIComponent;
/** A short tag of whatever the picture depends on. */
const tag = (text: string) => q(`${text.slice(0, 12)}${text.length > 64 ? text.slice(64) : ""}`);

/** Addresses of pictures. `version` only defeats caches when what they show has changed. */
export const pictures = {
  blob: (hash: string) => `/api/blobs/${hash}.png`,
  view: (hash: string) => `/api/blobs/${hash}.glb`,
  sample: (move: number, material: string, version: string, side = 76) =>
    `/api/moves/${move}/sample.png?material=${q(material)}&side=${side}&v=${version.slice(0, 12)}`,
  input: (move: number, material: string, name: string, version: string, side = 512) =>
    `/api/moves/${move}/input.png?material=${q(material)}&name=${name}&side=${side}&v=${tag(version)}`,
  image: (move: number, image: string, side = 128, channel = "rgb") =>
    `/api/moves/${move}/image.png?image=${q(image)}&side=${side}&channel=${channel}`,
  alone: (move: number, name: string, arrival: boolean, view: string, version: string) =>
    `/api/moves/${move}/alone.png?name=${name}&arrival=${arrival}&view=${q(view)}&v=${version.slice(0, 12)}`,
  litTiles: (move: number, side: string, version: string) =>
    `/api/moves/${move}/lit-tiles.png?side=${side}&v=${version.slice(0, 12)}`,
  litTexture: (move: number, side: string, material: string, name: string, texels: number, version: string) =>
    `/api/moves/${move}/lit.png?side=${side}&material=${q(material)}&name=${name}&texels=${texels}&v=${version.slice(0, 12)}`,
  surround: (move: number, side: string, which: string, version: string) =>
    `/api/moves/${move}/surround.bin?side=${side}&which=${which}&v=${version.slice(0, 12)}`,
  light: (move: number, view: string, version: string, trying = "") =>
    `/api/moves/${move}/light.png?view=${q(view)}&trying=${q(trying)}&v=${q(version)}`,
  lighting: (move: number, key: string, version: string) =>
    `/api/moves/${move}/lighting.png?key=${q(key)}&v=${version.slice(0, 12)}`,
  lightmap: (move: number, number: number, lens: string, version: string) =>
    `/api/moves/${move}/lightmap.png?number=${number}&lens=${lens}&v=${version.slice(0, 12)}`,
  lightmapView: (move: number, version: string) =>
    `/api/moves/${move}/lightmaps.glb?v=${version.slice(0, 12)}`,
  proof: (proof: number, view: string, side: string) =>
    `/api/proofs/${proof}/picture?view=${q(view)}&side=${side}`,
  delivered: (handover: number, path: string, side = 168) =>
    `/api/handovers/${handover}/picture.png?path=${q(path)}&side=${side}`,
  revision: (move: number, number: number, path: string, side = 168) =>
    `/api/moves/${move}/revisions/${number}/picture.png?path=${q(path)}&side=${side}`,
  kept: (kept: number) => `/api/kept/${kept}.png`,
  shelf: (name: string) => `/api/shelf.png?name=${q(name)}`,
  step: (move: number, crossing: string, at: number, version: string) =>
    `/api/moves/${move}/step.png?crossing=${q(crossing)}&at=${at}&side=168&v=${version}`,
  crossing: (move: number, crossing: string, version: string) =>
    `/api/moves/${move}/crossing.png?crossing=${q(crossing)}&side=84&v=${version.slice(0, 12)}`,
};

export interface DroppedFile {
  path: string;
  file: File;
}

/** Upload with progress in [0, 1]; the fetch API cannot report it. */
export function upload<T>(
  path: string,
  files: DroppedFile[],
  fields: Record<string, string>,
  onProgress: (fraction: number) => void,
): Promise<T> {
  const form = new FormData();
  for (const { path: name, file } of files) {
    form.append("files", file, file.name);
    form.append("paths", name);
  }
  for (const [key, value] of Object.entries(fields)) form.append(key, value);
  return new Promise<T>((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `/api${path}`);
    request.upload.onprogress = (event) =>
      onProgress(event.lengthComputable ? event.loaded / event.total : 0);
    request.onerror = () => reject(new Refused("The upload broke off.", path, "Try again."));
    request.onload = () => {
      const body = JSON.parse(request.responseText || "{}") as Record<string, unknown>;
      if (request.status < 400) resolve(body as T);
      else
        reject(
          new Refused(
            asText(body.what, "The upload was refused."),
            asText(body.where, path),
            asText(body.remedy, "Try again."),
          ),
        );
    };
    request.send(form);
  });
}

/** Files of a drop, folders walked. */
export async function filesOfDrop(transfer: DataTransfer): Promise<DroppedFile[]> {
  const entries = [...transfer.items]
    .map((item) => item.webkitGetAsEntry())
    .filter((entry): entry is FileSystemEntry => entry !== null);
  if (entries.length === 0) return [...transfer.files].map((file) => ({ path: file.name, file }));
  const found: DroppedFile[] = [];
  async function walk(entry: FileSystemEntry): Promise<void> {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) =>
        (entry as FileSystemFileEntry).file(resolve, reject),
      );
      found.push({ path: entry.fullPath.replace(/^\//, ""), file });
    } else {
      const reader = (entry as FileSystemDirectoryEntry).createReader();
      for (;;) {
        const batch = await new Promise<FileSystemEntry[]>((resolve, reject) =>
          reader.readEntries(resolve, reject),
        );
        if (batch.length === 0) break;
        for (const child of batch) await walk(child);
      }
    }
  }
  for (const entry of entries) await walk(entry);
  return found;
}
