/** The decoder of Draco-compressed glTF files; glTF-Transform takes it as it comes. */
declare module 'draco3dgltf' {
  const draco: { createDecoderModule(): Promise<unknown>; createEncoderModule(): Promise<unknown> };
  export default draco;
}
