/**
 * Files for an upload: scans of a two-coloured ball in front of a board, with stray points and a crumb; the last of
 * them so many times as large.
 */
export function ballSceneFiles(count: number, lastScale?: number): { name: string; mimeType: string; buffer: Buffer }[];

/** Points of each scan by what they belong to. */
export const BALL_SCENE: { ball: number; board: number; strays: number; crumb: number };
