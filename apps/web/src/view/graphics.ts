let software: boolean | undefined;

/** True if the browser draws without a graphics card; asked once, since making a context is slow there. */
export function isSoftwareRendering(): boolean {
  software ??= askDriver();
  return software;
}

/**
 * Fetches the bench's code and asks the driver in an idle moment, so that opening the bench needn't wait for either;
 * the browser's graphics process starts too.
 */
export function warmGraphics(loadBench: () => Promise<unknown>): void {
  const idle = window.requestIdleCallback ?? ((run: () => void) => setTimeout(run, 300));
  idle(() => {
    void loadBench();
    isSoftwareRendering();
  });
}

function askDriver(): boolean {
  const gl = document.createElement('canvas').getContext('webgl2');
  const info = gl?.getExtension('WEBGL_debug_renderer_info');
  const name = info ? String(gl!.getParameter(info.UNMASKED_RENDERER_WEBGL)) : '';
  gl?.getExtension('WEBGL_lose_context')?.loseContext();
  return /swiftshader|llvmpipe|software/i.test(name);
}
