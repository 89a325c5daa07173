import { decodeColor, type PackedPicture } from '../stored/index.js';
import { findLineCentres, type LineCentres, type LineCentresOptions } from './line-centres.js';

/** Finds the line in one packed picture; a task for `mapTask`. */
export function findLinesTask(options: LineCentresOptions, picture: PackedPicture): LineCentres {
  return findLineCentres(decodeColor(picture.bytes, picture.name), options);
}
