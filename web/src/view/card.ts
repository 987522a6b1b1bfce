let known: boolean | undefined;

/** Whether pictures are drawn by a graphics card; a processor alone takes seconds for what a card does at once. */
export function drawnByCard(): boolean {
  if (known !== undefined) return known;
  const context = document.createElement("canvas").getContext("webgl2");
  if (!context) return (known = false);
  const told = context.getExtension("WEBGL_debug_renderer_info");
  const name = String(context.getParameter(told ? told.UNMASKED_RENDERER_WEBGL : context.RENDERER));
  context.getExtension("WEBGL_lose_context")?.loseContext();
  return (known = !/swiftshader|llvmpipe|software|basic render/i.test(name));
}
