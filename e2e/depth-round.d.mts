/** A zip of depth pictures of one round about the jug; the poses of the frames named are wrong. */
export function depthRoundFile(count: number, astray: number[]): { name: string; mimeType: string; buffer: Buffer };
