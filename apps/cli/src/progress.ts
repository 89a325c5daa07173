/** Shows progress: one line rewritten in place on a terminal, one line a step elsewhere. */
export class ProgressReporter {
  private started = Date.now();
  private title = '';
  private shown = 0;

  constructor(
    private readonly out: NodeJS.WriteStream,
    private readonly quiet: boolean,
  ) {}

  begin(title: string): void {
    this.title = title;
    this.started = Date.now();
    this.shown = 0;
  }

  update(fraction: number, stage: string): void {
    const now = Date.now();
    if (this.quiet || !this.out.isTTY || now - this.shown < 120) return;
    this.shown = now;
    const elapsed = (now - this.started) / 1000;
    const left = fraction > 0.03 ? (elapsed / fraction) * (1 - fraction) : NaN;
    const rest = Number.isFinite(left) ? `, about ${Math.ceil(left)} s left` : '';
    this.out.write(`\r\x1b[K${this.title}: ${Math.round(100 * fraction)} %${stage ? ` (${stage})` : ''}${rest}`);
  }

  end(summary: string): void {
    if (this.quiet) return;
    const seconds = ((Date.now() - this.started) / 1000).toFixed(1);
    this.out.write(`${this.out.isTTY ? '\r\x1b[K' : ''}${this.title}: ${summary} (${seconds} s)\n`);
  }

  note(text: string): void {
    if (!this.quiet) this.out.write(`${this.out.isTTY ? '\r\x1b[K' : ''}  ${text}\n`);
  }
}
