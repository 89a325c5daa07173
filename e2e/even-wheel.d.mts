/** Scan files of the hand wheel painted evenly all over: nothing tells its five spokes apart. */
export function evenWheelFiles(views: number, points: number): { name: string; mimeType: string; buffer: Buffer }[];
