import type { PictureName } from '@amber-knit/core/geometry';
import type { PictureWish } from '@amber-knit/core/texture';

/** What is asked of pictures, as the step's values hold it. */
export type AskedPictures = readonly PictureWish[];

const isSame = (a: PictureName, b: PictureName): boolean => a.scan === b.scan && a.frame === b.frame;

/** The list with one more wish; one for the same picture and about the same place is taken over. */
export function withWish(asked: AskedPictures, wish: PictureWish): AskedPictures {
  return [...asked.filter((a) => !(isSame(a, wish) && isAboutThere(a, wish))), wish];
}

/** Two wishes speak of the same place if the middle of one lies in the ball of the other. */
function isAboutThere({ ball: a }: PictureWish, { ball: b }: PictureWish): boolean {
  if (!a || !b) return !a && !b;
  return Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) < Math.max(a[3], b[3]);
}

export const isLeftOut = (asked: AskedPictures, picture: PictureName): boolean =>
  asked.some((a) => isSame(a, picture) && a.how === 'not' && !a.ball);

/** Leaves a picture out altogether, or takes it in again. */
export function leftOutOrNot(asked: AskedPictures, { scan, frame }: PictureName): AskedPictures {
  return isLeftOut(asked, { scan, frame })
    ? asked.filter((a) => !(isSame(a, { scan, frame }) && a.how === 'not' && !a.ball))
    : withWish(asked, { scan, frame, how: 'not' });
}

/** Whether two lists ask the same. */
export const askTheSame = (a: AskedPictures, b: AskedPictures): boolean => JSON.stringify(a) === JSON.stringify(b);

export const nameOfPicture = ({ scan, frame }: PictureName): string => `${scan}, ${frame}`;

/** What a wish says, in a line. */
export function wishText(wish: PictureWish): string {
  const where = wish.ball ? `within ${Number(wish.ball[3].toPrecision(2))} mm of a place` : 'everywhere';
  return `${wish.how === 'not' ? 'Not' : 'Rather'} ${nameOfPicture(wish)}, ${where}`;
}
