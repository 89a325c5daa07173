/** Drawings that take longer than this are spaced out, ms. */
const QUICK = 25;
/** Rest after a slow drawing, as a multiple of what it took: the processor is also tracking. */
const REST = 2;

/**
 * Draws on demand: any number of requests between two pictures make one. Where drawing is slow (no graphics card), the
 * pictures come less often instead of taking the time that tracking needs; orders that a person is waiting for are
 * drawn at once.
 */
export class PacedDrawing {
  private frame = 0;
  private waiting = 0;
  private notBefore = 0;
  private fence: WebGLSync | null = null;

  constructor(
    private readonly gl: WebGL2RenderingContext,
    private readonly paint: () => void,
    /** Told how long each picture took, ms. */
    private readonly onTook?: (ms: number) => void,
  ) {}

  request(atOnce = false): void {
    if (this.frame) return;
    const rest = atOnce ? 0 : this.notBefore - performance.now();
    if (rest > 0) {
      this.waiting ||= window.setTimeout(() => {
        this.waiting = 0;
        this.request();
      }, rest);
      return;
    }
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      const begun = performance.now();
      this.paint();
      this.measure(begun);
    });
  }

  dispose(): void {
    cancelAnimationFrame(this.frame);
    clearTimeout(this.waiting);
    this.forgetFence();
  }

  /** Waits, without blocking, until the picture is really done. */
  private measure(begun: number): void {
    const { gl } = this;
    this.forgetFence();
    this.fence = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    // Until it is known how long it takes, nothing more is asked for.
    this.notBefore = begun + 250;
    const look = (): void => {
      if (!this.fence) return;
      const took = performance.now() - begun;
      if (gl.clientWaitSync(this.fence, 0, 0) === gl.TIMEOUT_EXPIRED && took < 1000) return void setTimeout(look, 4);
      this.forgetFence();
      this.onTook?.(took);
      this.notBefore = took > QUICK ? performance.now() + Math.min(500, REST * took) : 0;
      if (this.waiting) {
        clearTimeout(this.waiting);
        this.waiting = 0;
        this.request();
      }
    };
    setTimeout(look, 4);
  }

  private forgetFence(): void {
    if (this.fence) this.gl.deleteSync(this.fence);
    this.fence = null;
  }
}
