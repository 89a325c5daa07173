/** Characters that are put into bytes at a time. */
const CHUNK = 1 << 20;

/** Collects text and gives its bytes: neither a string of the whole nor a list of all lines is ever made. */
export class TextBytes {
  private readonly encoder = new TextEncoder();
  private readonly parts: Uint8Array[] = [];
  private text = '';

  add(text: string): void {
    this.text += text;
    if (this.text.length >= CHUNK) this.flush();
  }

  /** The bytes (UTF-8) of all that was added. */
  toBytes(): Uint8Array {
    this.flush();
    const out = new Uint8Array(this.parts.reduce((sum, p) => sum + p.length, 0));
    let at = 0;
    for (const p of this.parts) {
      out.set(p, at);
      at += p.length;
    }
    return out;
  }

  private flush(): void {
    this.parts.push(this.encoder.encode(this.text));
    this.text = '';
  }
}

/** A text inside XML: what has a meaning there is escaped, what may not stand there is left out. */
export function xmlText(text: string): string {
  return text
    .replace(/[^\t\n\r\x20-\uFFFD]/g, '')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;');
}
