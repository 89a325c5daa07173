import { useEffect, useRef } from 'react';
import { Ban, Undo2, X } from 'lucide-react';
import type { PictureWish } from '@amber-knit/core/texture';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { shareText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { lightShown } from '../../../app/view-slice';
import { Button, Check, IconButton, Notice } from '../../../shared/controls';
import { HelpMark } from '../../../shared/help-mark';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { pictureScans } from '../picture-frames';
import { askTheSame, isLeftOut, nameOfPicture, wishText, type AskedPictures } from './asked-pictures';
import { AROUND_TINT, CHOSEN_TINT, pictureTint } from './picture-tints';
import { picturesClient } from './pictures-client';
import type { PictureOfPlace } from './pictures-messages';

const NONE: AskedPictures = [];

/** Which picture coloured what, and what is asked of single pictures before the surface is coloured anew. */
export function PicturesPanel({ piece, steps, busy }: StagePanelProps) {
  const modelId = piece.model?.id;
  const dispatch = useAppDispatch();
  const { shown, pictures, asked, before: known, failed } = useStore(picturesClient);
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const made = steps.filter((s) => s.operationId === OPERATION_IDS.textureMap && s.status === 'done').at(-1);
  const before = (made?.params as { pictures?: AskedPictures } | undefined)?.pictures ?? NONE;
  useEffect(() => {
    if (modelId) picturesClient.look(modelId, pictureScans(piece), before);
    else picturesClient.clear();
  }, [modelId, piece, before]);
  useEffect(() => () => picturesClient.rest(), []);
  if (!modelId || !made || !(Number(made.figures?.images) > 0)) return null;
  const isChanged = !askTheSame(asked, known);
  const colourAnew = (): void =>
    void run({ pieceId: piece.id, operationId: OPERATION_IDS.textureMap, params: { ...made.params, pictures: asked } });
  return (
    <section aria-label="Pictures" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">
        Pictures{' '}
        <HelpMark about="Pictures">
          Where a picture shows what is not there (a hand, a glare, something moved), leave it out there, or take
          another one rather. Then colour anew: all other colours follow as before.
        </HelpMark>
      </h3>
      <Check
        checked={shown}
        onChange={() => {
          if (!shown) dispatch(lightShown(false));
          picturesClient.show(!shown);
        }}
      >
        Show which picture coloured what
      </Check>
      {shown && failed && <Notice tone="error">{failed}</Notice>}
      {shown && !failed && !pictures && <p className="m-0 text-muted">Looking through the surface …</p>}
      {shown && pictures?.length === 0 && (
        <p className="m-0 text-muted">This surface does not know its pictures. Colour it anew to learn them.</p>
      )}
      {shown && pictures && pictures.length > 0 && (
        <div className="mt-1 flex flex-col gap-2">
          <PlaceLookedAt />
          <PictureList />
        </div>
      )}
      {asked.length > 0 && <Asked asked={asked} />}
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      {isChanged && (
        <Button className="mt-2 w-full justify-center" disabled={busy || isLoading} onClick={colourAnew}>
          Colour anew
        </Button>
      )}
    </section>
  );
}

/** The pictures that show the place one has clicked. */
function PlaceLookedAt() {
  const { place, pictures, radius } = useStore(picturesClient);
  if (!place) return null;
  const { found } = place;
  if (!found) return <p className="m-0 text-muted">Looking for pictures of the place …</p>;
  const own = found.own === undefined ? undefined : pictures?.[found.own];
  return (
    <section aria-label="The place" className="rounded-lg border border-line p-2">
      <p className="m-0 mb-1">
        {own ? (
          <>
            Coloured by <b>{nameOfPicture(own)}</b>.
          </>
        ) : (
          'No picture coloured this place: its colour is from around.'
        )}
      </p>
      {found.seeing.length === 0 && <p className="m-0 text-muted">No picture shows it.</p>}
      {found.seeing.length > 0 && (
        <>
          <ul className="m-0 mb-2 grid list-none grid-cols-2 gap-2 p-0">
            {found.seeing.map((s) => (
              <li key={nameOfPicture(s)}>
                <PartOfPicture of={s} />
                <p className="m-0 truncate" title={s.scan}>
                  {s.scan}
                </p>
                <p className="m-0 truncate text-muted" title={s.frame}>
                  {s.frame}
                </p>
                <p className="num m-0 mb-1 text-muted" title="From straight on, and how far the camera stood">
                  {Math.round((s.angle * 180) / Math.PI)}°, {Math.round(s.distance)} mm
                </p>
                <span className="flex gap-1">
                  <Button
                    aria-label={`Rather ${nameOfPicture(s)} here`}
                    onClick={() => picturesClient.askHere(s, 'rather')}
                  >
                    Rather
                  </Button>
                  <Button aria-label={`Not ${nameOfPicture(s)} here`} onClick={() => picturesClient.askHere(s, 'not')}>
                    Not
                  </Button>
                </span>
              </li>
            ))}
          </ul>
          <NumberRow
            title="Around the place"
            help="So far from the place a wish holds; beyond it runs out."
            unit="mm"
            value={radius}
            min={0.5}
            max={10_000}
            step={1}
            onChange={(r) => picturesClient.setRadius(r)}
          />
        </>
      )}
    </section>
  );
}

/** What a picture shows around the place, which is ringed. */
function PartOfPicture({ of }: { of: PictureOfPlace }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const to = canvas.current?.getContext('2d');
    if (!to) return;
    to.drawImage(of.part, 0, 0);
    for (const [color, width] of [
      ['#26221c', 3],
      ['#ffffff', 1.5],
    ] as const) {
      to.strokeStyle = color;
      to.lineWidth = width;
      to.beginPath();
      to.arc(of.part.width / 2, of.part.height / 2, 7, 0, 2 * Math.PI);
      to.stroke();
    }
  }, [of]);
  return (
    <canvas
      ref={canvas}
      width={of.part.width}
      height={of.part.height}
      role="img"
      aria-label={`Part of ${nameOfPicture(of)}, the place in its middle`}
      className="block w-full rounded-md border border-line bg-sunk"
    />
  );
}

/** All pictures by how much of the surface they coloured. */
function PictureList() {
  const { pictures, around, chosen, asked } = useStore(picturesClient);
  const listed = (pictures ?? []).map((p, i) => ({ ...p, i })).sort((a, b) => b.share - a.share);
  return (
    <>
      <p className="m-0">
        <Swatch tint={AROUND_TINT} /> <b className="num">{shareText(around)}</b> of the surface is coloured from around.
      </p>
      <ol aria-label="Pictures by share" className="m-0 flex max-h-52 list-none flex-col overflow-y-auto p-0">
        {listed.map((p) => (
          <li key={p.i} className="flex items-center gap-1.5 rounded-lg px-1 hover:bg-sunk">
            <button
              type="button"
              aria-pressed={chosen === p.i}
              className="flex min-w-0 flex-1 items-center gap-1.5 border-0 bg-transparent p-0 text-left text-ink"
              onClick={() => picturesClient.choose(p.i)}
            >
              <Swatch tint={chosen === p.i ? CHOSEN_TINT : pictureTint(p.i)} />
              <span className={`truncate ${chosen === p.i ? 'font-semibold' : ''}`}>{nameOfPicture(p)}</span>
              <span className="num ml-auto whitespace-nowrap text-muted">{shareText(p.share)}</span>
            </button>
            {isLeftOut(asked, p) ? (
              <IconButton label={`Take ${nameOfPicture(p)} in again`} onClick={() => picturesClient.leaveOut(p)}>
                <Undo2 size={15} aria-hidden />
              </IconButton>
            ) : (
              <IconButton label={`Leave ${nameOfPicture(p)} out`} onClick={() => picturesClient.leaveOut(p)}>
                <Ban size={15} aria-hidden />
              </IconButton>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}

function Swatch({ tint }: { tint: string }) {
  return <span aria-hidden className="inline-block h-3 w-3 flex-none rounded-sm" style={{ background: tint }} />;
}

/** What is asked of pictures so far. */
function Asked({ asked }: { asked: AskedPictures }) {
  return (
    <>
      <h4 className="m-0 mt-2 text-sm font-semibold">Asked of pictures</h4>
      <ul aria-label="Asked of pictures" className="m-0 list-none p-0">
        {asked.map((wish: PictureWish) => (
          <li key={JSON.stringify(wish)} className="flex items-center gap-1.5">
            <span className="min-w-0 flex-1">{wishText(wish)}</span>
            <IconButton label={`Take back: ${wishText(wish)}`} onClick={() => picturesClient.takeBack(wish)}>
              <X size={15} aria-hidden />
            </IconButton>
          </li>
        ))}
      </ul>
    </>
  );
}
