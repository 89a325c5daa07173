import { Settings } from '../../../shared/store';

/** How the live view shows things and whether it sounds; set in the panel, followed by the view. */
export const liveSettings = new Settings({
  /** Height over the support at which the model is cut, mm. */
  cutHeight: 2,
  /** A tone tells that tracking was lost. */
  sound: true,
});
