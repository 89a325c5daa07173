import { useEffect, useRef } from 'react';
import { ChevronsLeftRight, LocateFixed } from 'lucide-react';
import type { StepView } from '@amber-knit/contracts';
import { FAILED_KINDS, type BakedKind, type FailedPlace } from '@amber-knit/core/geometry';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { areaText, countText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { comparedWith, lightShown, mapShown, placeLookedAt } from '../../../app/view-slice';
import { Button, IconButton, Notice, SelectRow } from '../../../shared/controls';
import { HelpMark } from '../../../shared/help-mark';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { lightMaps, type ShownMap } from './light-maps';
import { FAILED_WORDS, fartherAt, MAP_WORDS, rangeText, type Reach } from './light-words';

/** So many places are listed. */
const MOST_LISTED = 100;
/** How much around a place is shown, by its size; at least so many mm. */
const AROUND = 3;
const LEAST_AROUND = 4;

/** The light model: looked at in the view, its maps as pictures, and the places where detail was lost. */
export function LightPanel({ piece, steps, busy }: StagePanelProps) {
  const { light } = piece;
  const dispatch = useAppDispatch();
  const isShown = useAppSelector((s) => s.view.light);
  const isSwiped = useAppSelector((s) => s.view.compared === 'whole');
  useEffect(() => lightMaps.look(light?.id ?? null), [light]);
  // A light model that has just been made is what one wants to see.
  const id = light?.id;
  const seen = useRef(id);
  useEffect(() => {
    if (id && id !== seen.current) dispatch(lightShown(true));
    seen.current = id;
  }, [dispatch, id]);
  if (!light) return null;
  const made = steps.filter((s) => s.operationId === OPERATION_IDS.textureBake && s.status === 'done').at(-1);
  const whole = piece.model ?? piece.mesh;
  const isOld = made && light.stepId === made.id && whole && !made.inputs.includes(whole.id);
  return (
    <section aria-label="Light model" className="border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Light model</h3>
      <div className="mb-1 grid grid-cols-2 gap-1" role="group" aria-label="Shown in the view">
        {[false, true].map((of) => (
          <Button
            key={String(of)}
            aria-pressed={isShown === of}
            className={`justify-center ${isShown === of ? 'border-teal! bg-teal-soft!' : ''}`}
            onClick={() => dispatch(lightShown(of))}
          >
            <span>
              {of ? 'Light' : 'Whole'}{' '}
              <span className="num text-muted">{countText(Number((of ? light : whole)?.facts.triangles))}</span>
            </span>
          </Button>
        ))}
      </div>
      {isOld && <Notice>The surface or its colours are newer than this light model. Make it again.</Notice>}
      {isShown && (
        <>
          <Button
            className="mb-2 flex w-full items-center justify-center gap-1.5 aria-pressed:border-teal! aria-pressed:bg-teal-soft!"
            aria-pressed={isSwiped}
            onClick={() => dispatch(comparedWith(isSwiped ? null : 'whole'))}
          >
            <ChevronsLeftRight size={15} aria-hidden /> Compare with the whole
          </Button>
          <Maps />
          <LostPlaces pieceId={piece.id} made={made} busy={busy} />
        </>
      )}
    </section>
  );
}

/** One map of it: in the view and as the flat picture that it is. */
function Maps() {
  const { maps, refused } = useStore(lightMaps);
  const chosen = useAppSelector((s) => s.view.map);
  const dispatch = useAppDispatch();
  if (refused) return <Notice tone="error">{refused}</Notice>;
  if (maps.length === 0) return <p className="m-0 text-muted">Loading its maps …</p>;
  const choices = {
    look: 'As it looks',
    ...Object.fromEntries(maps.filter((m) => m.kind !== 'color').map((m) => [m.kind, MAP_WORDS[m.kind][0]])),
  };
  const map = maps.find((m) => m.kind === (chosen ?? 'color')) ?? maps[0];
  return (
    <>
      <SelectRow
        title="Map shown"
        value={chosen ?? 'look'}
        choices={choices}
        onChange={(kind: string) => dispatch(mapShown(kind === 'look' ? null : (kind as BakedKind)))}
      />
      <MapPicture map={map} />
    </>
  );
}

function MapPicture({ map: { kind, url, range } }: { map: ShownMap }) {
  const [title, help] = MAP_WORDS[kind];
  const ends = rangeText(kind, range);
  return (
    <figure className="m-0 mb-2 mt-2">
      <img src={url} alt={`The map: ${title}`} className="block w-full rounded-lg border border-line bg-sunk" />
      <figcaption className="mt-0.5 text-muted">
        {title} <HelpMark about={title}>{help}</HelpMark>
        {ends && <span className="num"> {ends}</span>}
      </figcaption>
    </figure>
  );
}

/** What is met slantwise is in reach already. */
const helpsFarther = ({ kind }: FailedPlace): boolean => kind !== 'slanted';
const KINDS_HELP = FAILED_KINDS.map((kind) => FAILED_WORDS[kind].join(': ')).join(' ');

/** Where detail was lost, and a second try there. */
function LostPlaces({ pieceId, made, busy }: { pieceId: string; made: StepView | undefined; busy: boolean }) {
  const failed = useStore(lightMaps, (s) => s.failed);
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const dispatch = useAppDispatch();
  const goTo = ({ place, radius }: FailedPlace): void =>
    void dispatch(placeLookedAt({ place, size: Math.max(LEAST_AROUND, AROUND * radius) }));
  const again = (places: readonly FailedPlace[]): void => {
    const params = (made?.params ?? {}) as { reaches?: Reach[] };
    const usual = Number(made?.figures?.reach) || 1;
    const reaches = places.reduce<Reach[]>((asked, p) => fartherAt(p, asked, usual), params.reaches ?? []);
    void run({ pieceId, operationId: OPERATION_IDS.textureBake, params: { ...params, reaches } });
  };
  if (failed.length === 0) return <p className="m-0 text-muted">No detail was lost on the way.</p>;
  const listed = failed.slice(0, MOST_LISTED);
  const farther = listed.filter(helpsFarther);
  return (
    <>
      <h4 className="m-0 text-sm font-semibold">
        Detail lost at {failed.length} {failed.length === 1 ? 'place' : 'places'}{' '}
        <HelpMark about="Detail lost">{KINDS_HELP}</HelpMark>
      </h4>
      <ol className="m-0 mb-2 flex max-h-40 list-none flex-col gap-0.5 overflow-y-auto p-0" aria-label="Places lost">
        {listed.map((f, i) => (
          <li key={i} className="flex items-center gap-1.5 rounded-lg px-1 hover:bg-sunk">
            <span className="flex-1">{FAILED_WORDS[f.kind][0]}</span>
            <span className="num text-muted">{areaText(f.area)}</span>
            {helpsFarther(f) && (
              <Button
                className="text-sm"
                aria-label={`Look farther at place ${i + 1}`}
                disabled={busy || isLoading}
                onClick={() => again([f])}
              >
                Look farther
              </Button>
            )}
            <IconButton label={`Go to place ${i + 1}`} onClick={() => goTo(f)}>
              <LocateFixed size={15} aria-hidden />
            </IconButton>
          </li>
        ))}
      </ol>
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      {farther.length > 1 && (
        <Button disabled={busy || isLoading} onClick={() => again(farther)}>
          Look farther at all of them
        </Button>
      )}
    </>
  );
}
