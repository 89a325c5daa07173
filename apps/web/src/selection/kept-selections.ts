import { decodeSelection, encodeSelection, type ScanSelection } from '@amber-knit/core/stored';

/** Selections kept by name with a piece on the server. */
export class KeptSelections {
  constructor(readonly pieceId: string) {}

  /** @throws Error in words */
  async names(): Promise<string[]> {
    return (await (await this.ask('')).json()) as string[];
  }

  async get(name: string): Promise<ScanSelection[]> {
    return decodeSelection(new Uint8Array(await (await this.ask(name)).arrayBuffer()));
  }

  async put(name: string, selection: readonly ScanSelection[]): Promise<void> {
    const headers = { 'content-type': 'application/octet-stream' };
    await this.ask(name, { method: 'PUT', headers, body: encodeSelection(selection) as Uint8Array<ArrayBuffer> });
  }

  async forget(name: string): Promise<void> {
    await this.ask(name, { method: 'DELETE' });
  }

  private async ask(name: string, init?: RequestInit): Promise<Response> {
    const path = `/api/pieces/${this.pieceId}/selections${name && `/${encodeURIComponent(name)}`}`;
    const answer = await fetch(path, init).catch(() => undefined);
    if (answer?.ok) return answer;
    const said = (await answer?.json().catch(() => undefined)) as { detail?: string } | undefined;
    throw new Error(said?.detail ?? 'The server does not answer. What was to be remembered is not; try again.');
  }
}
