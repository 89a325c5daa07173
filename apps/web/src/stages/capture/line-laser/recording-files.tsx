import { useState } from 'react';
import { Film } from 'lucide-react';
import { FileButton } from '../../../shared/file-button';
import { lineLaserClient } from './line-laser-client';

/** Begins with a line-laser recording that was made elsewhere. */
export function RecordingFiles() {
  const [perSecond, setPerSecond] = useState(10);
  return (
    <section aria-label="Line-laser recording" className="mt-4 flex flex-col gap-2">
      <h3 className="m-0 text-sm font-semibold">Line-laser recording from a file</h3>
      <p className="m-0 text-muted">
        A video of the object turning under a laser line, a little more than one turn, or a zip of numbered pictures
        (PNG or JPEG).
      </p>
      <label className="grid grid-cols-[1fr_6rem] items-center gap-2">
        Pictures a second of a video
        <input
          type="number"
          min={1}
          max={60}
          value={perSecond}
          onChange={(e) => setPerSecond(Math.max(1, Math.min(60, e.target.valueAsNumber || 10)))}
          className="num rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        />
      </label>
      <FileButton
        label="Line-laser recording file"
        accept="video/*,.zip"
        onFile={(file) => void lineLaserClient.read(file, perSecond)}
      >
        <Film size={16} /> Choose a recording
      </FileButton>
    </section>
  );
}
