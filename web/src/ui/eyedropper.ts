import { toLinear } from "./color";

/** The colour of a picture on screen under a point of the window, linear; none where there is no picture. */
function colorAt(x: number, y: number): number[] | null {
  const shown = document
    .elementsFromPoint(x, y)
    .find((one) => one instanceof HTMLImageElement || one instanceof HTMLCanvasElement);
  if (!(shown instanceof HTMLImageElement || shown instanceof HTMLCanvasElement)) return null;
  const box = shown.getBoundingClientRect();
  const [width, height] =
    shown instanceof HTMLImageElement
      ? [shown.naturalWidth, shown.naturalHeight]
      : [shown.width, shown.height];
  if (!width || !height || !box.width || !box.height) return null;
  const fit = getComputedStyle(shown).objectFit;
  const scales = [box.width / width, box.height / height] as const;
  const even = fit === "contain" ? Math.min(...scales) : fit === "cover" ? Math.max(...scales) : null;
  const [across, down] = even === null ? scales : [even, even];
  const u = (x - box.left - (box.width - width * across) / 2) / across;
  const v = (y - box.top - (box.height - height * down) / 2) / down;
  if (u < 0 || v < 0 || u >= width || v >= height) return null;
  const texel = document.createElement("canvas");
  texel.width = texel.height = 1;
  const pen = texel.getContext("2d", { willReadFrequently: true })!;
  pen.drawImage(shown, Math.floor(u), Math.floor(v), 1, 1, 0, 0, 1, 1);
  return [...pen.getImageData(0, 0, 1, 1).data.slice(0, 3)].map((code) => toLinear(code / 255));
}

/**
 * Takes a colour from any picture on the page: an image, a sample, the view, a proof. `onHover` hears what is under the
 * pointer. The answer is linear, and none when Escape is pressed.
 */
export function takeColor(onHover: (linear: number[] | null) => void): Promise<number[] | null> {
  return new Promise((resolve) => {
    const cursor = document.body.style.cursor;
    document.body.style.cursor = "crosshair";
    const end = (found: number[] | null) => {
      document.body.style.cursor = cursor;
      for (const [name, hear] of hearing) window.removeEventListener(name, hear, true);
      resolve(found);
    };
    const hold = (event: Event) => {
      event.preventDefault();
      event.stopImmediatePropagation();
    };
    const hearing: [string, (event: Event) => void][] = [
      [
        "pointermove",
        (event) => onHover(colorAt((event as PointerEvent).clientX, (event as PointerEvent).clientY)),
      ],
      ["pointerdown", hold],
      ["pointerup", hold],
      ["mousedown", hold],
      ["mouseup", hold],
      [
        "click",
        (event) => {
          hold(event);
          // A press beside every picture, or on one that is still on its way, takes nothing.
          const found = colorAt((event as MouseEvent).clientX, (event as MouseEvent).clientY);
          if (found) end(found);
        },
      ],
      [
        "keydown",
        (event) => {
          if ((event as KeyboardEvent).key !== "Escape") return;
          hold(event);
          end(null);
        },
      ],
    ];
    for (const [name, hear] of hearing) window.addEventListener(name, hear, true);
  });
}
