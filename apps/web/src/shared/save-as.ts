/** Hands bytes to the person as a file to keep. */
export function saveAs(bytes: Uint8Array, name: string, mediaType: string): void {
  const url = URL.createObjectURL(new Blob([bytes as Uint8Array<ArrayBuffer>], { type: mediaType }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  // The browser reads it in its own time.
  setTimeout(() => URL.revokeObjectURL(url), 60_000);
}
