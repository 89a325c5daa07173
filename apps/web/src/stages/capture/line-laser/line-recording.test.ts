import { LineRecording } from './line-recording';

const picture = (width: number) => ({ width, height: 2, data: new Uint8Array(3 * width * 2) });

test('a recording is whole once the picture that was being packed is in it', async () => {
  let finish = (): void => {};
  const recording = new LineRecording(() => new Promise((resolve) => (finish = () => resolve(Uint8Array.of(1)))));
  const taken = recording.take(picture(4), 'picture.jpg');
  let whole = false;
  const settled = recording.settled().then(() => (whole = true));
  await Promise.resolve();
  expect([whole, recording.length]).toEqual([false, 0]);
  finish();
  expect(await taken).toEqual(Uint8Array.of(1));
  await settled;
  expect([whole, recording.length]).toEqual([true, 1]);
});

test('a picture of another size is refused, and the recording settles all the same', async () => {
  const recording = new LineRecording(() => Promise.resolve(new Uint8Array()));
  await recording.take(picture(4), 'picture.jpg');
  await expect(recording.take(picture(5), 'picture.jpg')).rejects.toThrow(
    'Picture 2 has 5 × 2 pixels, the first 4 × 2',
  );
  await recording.settled();
  expect(recording.length).toBe(1);
});
