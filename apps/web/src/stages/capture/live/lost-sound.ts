/** Two falling tones: tracking is lost. Silent where sound is not allowed. */
export function playLost(): void {
  try {
    const audio = new AudioContext();
    [620, 410].forEach((pitch, i) => {
      const tone = audio.createOscillator();
      const volume = audio.createGain();
      tone.frequency.value = pitch;
      volume.gain.setValueAtTime(0.12, audio.currentTime + 0.16 * i);
      volume.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + 0.16 * i + 0.15);
      tone.connect(volume).connect(audio.destination);
      tone.start(audio.currentTime + 0.16 * i);
      tone.stop(audio.currentTime + 0.16 * i + 0.16);
    });
    setTimeout(() => void audio.close(), 600);
  } catch {
    // No sound device: the message on the screen remains.
  }
}
