/** Most pictures taken from one video. */
const MOST_PICTURES = 2000;
/** Wider videos are taken at this width, pixels. */
const WIDEST = 1920;

/**
 * Takes pictures from a video file, so many a second, as far as the browser can play it.
 * @throws Error in words if it can't, or if it would be too many pictures
 */
export async function* videoPictures(
  file: File,
  perSecond: number,
): AsyncGenerator<{ picture: ImageBitmap; of: number }> {
  const video = document.createElement('video');
  video.muted = true;
  video.preload = 'auto';
  video.src = URL.createObjectURL(file);
  try {
    await event(video, 'loadeddata');
    if (!Number.isFinite(video.duration)) {
      // Recordings made in a browser don't say how long they are until their end was looked for.
      video.currentTime = 1e7;
      await event(video, 'seeked');
    }
    const of = Math.floor(video.duration * perSecond);
    if (of > MOST_PICTURES) {
      throw new Error(
        `That would be ${of} pictures; ${MOST_PICTURES} are enough for any turn. Take fewer a second, or cut the video.`,
      );
    }
    if (of < 1) throw new Error('The video holds no picture.');
    const scale = Math.min(1, WIDEST / video.videoWidth);
    const size = {
      resizeWidth: Math.round(video.videoWidth * scale),
      resizeHeight: Math.round(video.videoHeight * scale),
    };
    for (let k = 0; k < of; k++) {
      // The middle of each picture's time: never on the border between two.
      video.currentTime = (k + 0.5) / perSecond;
      await event(video, 'seeked');
      yield { picture: await createImageBitmap(video, size), of };
    }
  } finally {
    URL.revokeObjectURL(video.src);
    video.removeAttribute('src');
    video.load();
  }
}

function event(video: HTMLVideoElement, name: 'loadeddata' | 'seeked'): Promise<void> {
  return new Promise((resolve, reject) => {
    video.addEventListener(name, () => resolve(), { once: true });
    video.addEventListener(
      'error',
      () =>
        reject(
          new Error('This browser can’t play the video. Save it as WebM or MP4, or as a zip of numbered pictures.'),
        ),
      { once: true },
    );
  });
}
