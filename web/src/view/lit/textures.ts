import {
  ClampToEdgeWrapping,
  MirroredRepeatWrapping,
  NoColorSpace,
  RepeatWrapping,
  SRGBColorSpace,
  Texture,
} from "three";

import { type Lit, type MaterialInput, pictures } from "../../api/client";
import type { Side } from "./useLit";

const TILE = 64;
const ACROSS = 16;
const TEXELS = 512;
const AT_ONCE = 4;
const WRAPS = { repeat: RepeatWrapping, mirror: MirroredRepeatWrapping, clamp: ClampToEdgeWrapping };

async function fetched(address: string, signal: AbortSignal): Promise<ImageBitmap> {
  const answer = await fetch(address, { signal });
  if (!answer.ok) throw new Error(`${address}: ${answer.status}`);
  return createImageBitmap(await answer.blob(), { colorSpaceConversion: "none", premultiplyAlpha: "none" });
}

/** The pictures of a side's inputs: all of them small in one piece, then each larger, a few at a time. */
export class Textures {
  private readonly held = new Map<string, { texture: Texture; bitmap: ImageBitmap | null }>();
  private readonly stop = new AbortController();

  private constructor(
    private readonly move: number,
    private readonly side: Side,
    private readonly lit: Lit,
  ) {}

  /** Once the small pictures are there. */
  static async small(move: number, side: Side, lit: Lit): Promise<Textures> {
    const made = new Textures(move, side, lit);
    if (!lit.tiles.length) return made;
    const sheet = await fetched(pictures.litTiles(move, side, lit.version), made.stop.signal);
    await Promise.all(
      lit.tiles.map(async ({ material, name }, at) => {
        const bitmap = await createImageBitmap(
          sheet,
          (at % ACROSS) * TILE,
          Math.floor(at / ACROSS) * TILE,
          TILE,
          TILE,
          { premultiplyAlpha: "none" },
        );
        made.held.set(`${material}/${name}`, { texture: new Texture(bitmap), bitmap });
      }),
    );
    sheet.close();
    return made;
  }

  /** The picture of an input, placed as it lies; nothing where it has none. */
  of(material: string, input: MaterialInput | undefined, color: boolean): Texture | null {
    const held = input && this.held.get(`${material}/${input.name}`);
    if (!input || !held) return null;
    const { texture } = held;
    texture.colorSpace = color ? SRGBColorSpace : NoColorSpace;
    texture.wrapS = WRAPS[input.wrap[0] ?? "repeat"];
    texture.wrapT = WRAPS[input.wrap[1] ?? "repeat"];
    texture.flipY = false;
    texture.channel = Math.min(input.uv_set, 3);
    texture.repeat.set(input.scale[0] ?? 1, input.scale[1] ?? 1);
    texture.offset.set(input.offset[0] ?? 0, input.offset[1] ?? 0);
    texture.rotation = input.rotation_rad;
    texture.anisotropy = 4;
    texture.needsUpdate = true;
    return texture;
  }

  /** Puts the larger pictures in the places of the small ones; drawn once all are there, since each drawing costs. */
  async sharpen(): Promise<void> {
    const waiting = [...this.lit.tiles];
    const work = async () => {
      for (let next = waiting.shift(); next; next = waiting.shift()) {
        const { material, name, version } = next;
        const held = this.held.get(`${material}/${name}`);
        if (!held) continue;
        try {
          const bitmap = await fetched(
            pictures.litTexture(this.move, this.side, material, name, TEXELS, version),
            this.stop.signal,
          );
          held.texture.dispose();
          held.bitmap?.close();
          held.bitmap = bitmap;
          held.texture.image = bitmap;
          held.texture.needsUpdate = true;
        } catch {
          // The small picture stays.
          if (this.stop.signal.aborted) return;
        }
      }
    };
    await Promise.all(Array.from({ length: AT_ONCE }, work));
  }

  letGo() {
    this.stop.abort();
    for (const { texture, bitmap } of this.held.values()) {
      texture.dispose();
      bitmap?.close();
    }
    this.held.clear();
  }
}
