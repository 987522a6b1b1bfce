/** Triangles of a UV set: three corners of u and v each, V running down as in the image. */
export type UvTriangles = Float32Array;

/** A layout: its triangles, and for each of their corners which one it is; the same where triangles hang together. */
export interface Layout {
  uvs: UvTriangles;
  corners: Int32Array;
}

export interface UvFacts {
  triangles: number;
  islands: number;
  /** Share of the image that is covered, of the covered what lies there twice or more, and of the triangles what lies beyond the square. */
  covered: number;
  twice: number;
  beyond: number;
}

const GRID = 512;

/** What may be said of a layout. Covering is counted on a grid of 512², the square repeated as images are. */
export function factsOf({ uvs, corners }: Layout): UvFacts {
  const count = uvs.length / 6;
  const hits = new Uint8Array(GRID * GRID);
  let beyond = 0;
  for (let t = 0; t < count; t++) {
    const [ax, ay, bx, by, cx, cy] = uvs.subarray(t * 6, t * 6 + 6) as unknown as [
      number, number, number, number, number, number,
    ]; // prettier-ignore
    if (Math.min(ax, ay, bx, by, cx, cy) < -1e-4 || Math.max(ax, ay, bx, by, cx, cy) > 1 + 1e-4) beyond += 1;
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    if (!Number.isFinite(area) || area === 0) continue;
    const [low, high] = [
      Math.ceil(Math.min(ay, by, cy) * GRID - 0.5),
      Math.floor(Math.max(ay, by, cy) * GRID - 0.5),
    ];
    const [left, right] = [
      Math.ceil(Math.min(ax, bx, cx) * GRID - 0.5),
      Math.floor(Math.max(ax, bx, cx) * GRID - 0.5),
    ];
    if (high - low > 4 * GRID || right - left > 4 * GRID) continue;
    for (let y = low; y <= high; y++)
      for (let x = left; x <= right; x++) {
        const [u, v] = [(x + 0.5) / GRID, (y + 0.5) / GRID];
        const one = ((bx - u) * (cy - v) - (by - v) * (cx - u)) / area;
        const two = ((cx - u) * (ay - v) - (cy - v) * (ax - u)) / area;
        // An edge belongs to one side only, so that neighbours do not count twice.
        if (one < 0 || two < 0 || one + two >= 1) continue;
        const at = (((y % GRID) + GRID) % GRID) * GRID + (((x % GRID) + GRID) % GRID);
        if (hits[at]! < 255) hits[at]! += 1;
      }
  }
  let [some, more] = [0, 0];
  for (const hit of hits) {
    if (hit) some += 1;
    if (hit > 1) more += 1;
  }
  return {
    triangles: count,
    islands: islandsOf(corners),
    covered: some / hits.length,
    twice: some ? more / some : 0,
    beyond: count ? beyond / count : 0,
  };
}

/** Pieces that hang together by shared corners, of triangles told by the numbers of theirs. */
export function islandsOf(corners: Int32Array): number {
  const above = Int32Array.from(
    { length: corners.reduce((most, one) => Math.max(most, one + 1), 0) },
    (_, k) => k,
  );
  const top = (at: number): number => {
    while (above[at] !== at) at = above[at] = above[above[at]!]!;
    return at;
  };
  for (let t = 0; t < corners.length; t += 3) {
    const first = top(corners[t]!);
    above[top(corners[t + 1]!)] = first;
    above[top(corners[t + 2]!)] = top(first);
  }
  return above.reduce((count, one, at) => count + Number(one === at), 0);
}
