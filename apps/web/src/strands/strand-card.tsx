import { useState } from 'react';
import type { PieceView, ScanView } from '@amber-knit/contracts';
import { api, problemText } from '../api/api';
import { Button, Notice } from '../shared/controls';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { SetupInput } from '../shared/setup-input';
import { stateWord } from '../shared/state-glyph';
import { STRAND_COLORS, strandColor } from '../shared/strand-colors';
import { CoverageSparkline, coverageWords } from './coverage-sparkline';
import { Modal } from '../shared/modal';

const FIELD = 'w-full rounded-lg border border-[var(--field)] bg-panel px-2 py-1';

/** All of one scan: its figures, and what it is called, where it belongs, its colour and a note, to be changed. */
export function StrandCard({ piece, scan, onClose }: { piece: PieceView; scan: ScanView; onClose: () => void }) {
  const [label, { isLoading, error }] = api.useLabelScansMutation();
  const [name, setName] = useState(scan.name);
  const [setup, setSetup] = useState(scan.setup);
  const [note, setNote] = useState(scan.note);
  const [colorIndex, setColor] = useState(scan.colorIndex % STRAND_COLORS);
  const f = scan.cloud.facts;
  const figures: [string, string][] = [
    ['points', Number(f.points).toLocaleString('en-US')],
    ['spacing', lengthText(Number(f.spacing))],
    ...(f.noise !== undefined ? [['noise', lengthText(Number(f.noise))] as [string, string]] : []),
    ['size', ['width', 'depth', 'height'].map((k) => Number(f[k]).toFixed(1)).join(' × ') + ' mm'],
    ['state', stateWord(scan.placement.state)],
    ...(scan.placement.residual !== undefined
      ? [['residual', lengthText(scan.placement.residual)] as [string, string]]
      : []),
    ...(scan.framesId ? [['frames', `${scan.frames}`] as [string, string]] : []),
    ...(scan.cloud.id !== scan.original.id
      ? [['as it came in', `${Number(scan.original.facts.points).toLocaleString('en-US')} points`] as [string, string]]
      : []),
  ];
  const save = async (): Promise<void> => {
    const done = await label({ pieceId: piece.id, scans: [scan.id], name, setup, note, colorIndex });
    if (!done.error) onClose();
  };
  const changed =
    name.trim() !== scan.name || setup.trim() !== scan.setup || note !== scan.note || colorIndex !== scan.colorIndex;
  return (
    <Modal title={scan.name} onClose={onClose}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          void save();
        }}
      >
        <label className="block">
          Name
          <input className={FIELD} value={name} onChange={(e) => setName(e.target.value)} maxLength={80} required />
        </label>
        <label className="block">
          Setup
          <SetupInput setups={piece.setups} value={setup} onChange={setSetup} className="w-full" />
        </label>
        <fieldset className="m-0 border-0 p-0">
          <legend className="p-0">Colour</legend>
          <div className="mt-1 flex gap-1.5">
            {Array.from({ length: STRAND_COLORS }, (_, i) => (
              <label key={i} className="relative block h-7 w-7">
                <input
                  type="radio"
                  name="strand colour"
                  aria-label={`Colour ${i + 1}`}
                  checked={i === colorIndex}
                  onChange={() => setColor(i)}
                  className="peer absolute inset-0 m-0 cursor-pointer opacity-0"
                />
                <span
                  aria-hidden
                  style={{ background: strandColor(i) }}
                  className="block h-full w-full rounded-full border-2 border-panel outline-2 outline-transparent peer-checked:outline-ink peer-focus-visible:outline-amber"
                />
              </label>
            ))}
          </div>
        </fieldset>
        <label className="block">
          Note <span className="text-muted">(words with # are tags, for example #shaky)</span>
          <textarea
            className={FIELD}
            rows={2}
            value={note}
            onChange={(e) => setNote(e.target.value)}
            maxLength={2000}
          />
        </label>
        <dl className="num m-0 grid grid-cols-[1fr_auto] gap-x-3 rounded-lg bg-sunk px-3 py-2">
          {figures.map(([k, v]) => (
            <div key={k} className="contents">
              <dt className="text-muted">{k}</dt>
              <dd className="m-0 text-right">{v}</dd>
            </div>
          ))}
        </dl>
        {scan.coverage.length > 1 && (
          <figure className="m-0 flex items-center gap-3">
            <CoverageSparkline scan={scan} large />
            <figcaption className="text-muted">{coverageWords(scan)}.</figcaption>
          </figure>
        )}
        {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Close</Button>
          <Button type="submit" tone="go" disabled={!changed || isLoading || !name.trim() || !setup.trim()}>
            Save
          </Button>
        </div>
      </form>
    </Modal>
  );
}
