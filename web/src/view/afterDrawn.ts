const ASKED_EVERY_MS = 30;

/** Acts once all that was asked of a context is drawn, without waiting for it; gives what calls that off. */
export function afterDrawn(context: WebGL2RenderingContext, act: () => void): () => void {
  let timer = 0;
  let fence: WebGLSync | null = null;
  // What is asked for now is drawn with the next frame.
  let frame = requestAnimationFrame(() => {
    frame = requestAnimationFrame(() => {
      fence = context.fenceSync(context.SYNC_GPU_COMMANDS_COMPLETE, 0);
      context.flush();
      timer = window.setInterval(() => {
        if (fence && context.getSyncParameter(fence, context.SYNC_STATUS) !== context.SIGNALED) return;
        clearInterval(timer);
        act();
      }, ASKED_EVERY_MS);
    });
  });
  return () => {
    cancelAnimationFrame(frame);
    clearInterval(timer);
    if (fence) context.deleteSync(fence);
  };
}
