import type { SheetLine } from "../api/client";
import { conventions } from "./pictures/conventions";
import { images } from "./pictures/images";
import { lightmaps } from "./pictures/lightmaps";
import { lights } from "./pictures/lights";

const DRAWINGS = [conventions, images, lights, lightmaps];

/** A small drawing of what a line says. The words beside it say the same, so it is hidden from screen readers. */
export function LinePicture({ line }: { line: SheetLine }) {
  const drawn = DRAWINGS.map((draw) => draw(line)).find((one) => one !== null);
  return (
    <svg viewBox="0 0 64 54" className="h-[54px] w-16 shrink-0" aria-hidden="true">
      {drawn}
    </svg>
  );
}
