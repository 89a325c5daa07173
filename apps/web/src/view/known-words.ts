import { lengthText } from '@amber-knit/operations/quantity-text';
import type { Pick } from './view-content';

/** What the surface knows of a place, for the reading strip: by how many scans, which saw it best, how sure it is. */
export function measuredText({ known = {}, invented }: Pick): string {
  const { scanCount, expectedError, bestScan, bestAngle } = known;
  const by = scanCount ? `measured by ${scanCount} ${scanCount === 1 ? 'scan' : 'scans'}` : '';
  const best = by && bestScan && bestAngle !== undefined ? `best from ${bestScan} at ${bestAngle}°` : '';
  const sure = expectedError !== undefined && expectedError >= 0 ? `± ${lengthText(expectedError)}` : '';
  return [by, best, sure].filter(Boolean).join(', ') || (invented === false ? 'measured surface' : '');
}
