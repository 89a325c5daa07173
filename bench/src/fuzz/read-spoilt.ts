import { createRunContext, GeometryError } from '@amber-knit/core/runtime';
import { findOperation, runOperation } from '@amber-knit/operations';
import { spoiltFile } from './spoil.js';
import type { WholeFile } from './whole-files.js';

/**
 * Brings the spoilt file of that number in, as a scan, or every other round of kinds as a surface.
 * @returns whether it was read, or refused in words
 * @throws whatever else came of it: a fault
 */
export async function readSpoilt(files: readonly WholeFile[], number: number): Promise<'read' | 'refused'> {
  const { name, bytes } = spoiltFile(files, number);
  const operation = findOperation(Math.floor(number / files.length) % 2 === 0 ? 'capture.import' : 'mend.bring-in');
  try {
    await runOperation(operation, { file: { name, mediaType: '', bytes } }, { unit: 'mm' }, createRunContext());
    return 'read';
  } catch (error) {
    if (error instanceof GeometryError) return 'refused';
    throw new Error(`${number} ${name}`, { cause: error });
  }
}
