import type { StepView } from '@amber-knit/contracts';

/** A file that was delivered, and its size where it is known. */
export interface DeliveredFile {
  id: string;
  name: string;
  bytes?: number;
}

/** What was delivered of a piece: the newest file of each name, the newest name last. */
export function deliveredFiles(steps: readonly StepView[]): DeliveredFile[] {
  const byName = new Map<string, DeliveredFile>();
  for (const s of steps) {
    const name = s.figures?.file;
    if (s.stage !== 'deliver' || s.status !== 'done' || !s.outputs[0] || !name) continue;
    byName.delete(String(name));
    const { bytes } = s.figures!;
    byName.set(String(name), {
      id: s.outputs[0],
      name: String(name),
      ...(typeof bytes === 'number' ? { bytes } : {}),
    });
  }
  return [...byName.values()];
}
