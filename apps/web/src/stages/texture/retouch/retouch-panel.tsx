import { useEffect } from 'react';
import { Brush, Contrast, CopyCheck, Droplet, Focus, Image, Palette, SunDim } from 'lucide-react';
import type { TouchKind } from '@amber-knit/core/retouching';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { lightShown, toolChosen } from '../../../app/view-slice';
import { Button, Check, SelectRow } from '../../../shared/controls';
import { ToolGrid, type ToolChoice } from '../../../shared/hand/tool-grid';
import { useWork } from '../../../shared/hand/use-work';
import { WorkBar } from '../../../shared/hand/work-bar';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { FlatMap } from './flat-map';
import { keptTouches } from './kept-touches';
import { retouchClient } from './retouch-client';
import { retouchDesk, type RetouchSettings } from './retouch-desk';

const TOOLS: readonly ToolChoice<TouchKind>[] = [
  ['copy', 'Copy', 'Copies from another place of the surface', CopyCheck],
  ['picture', 'Picture', 'Takes the colours of one picture', Image],
  ['heal', 'Heal', 'Lets the colours around go on over a mark', Droplet],
  ['paint', 'Paint', 'Lays a colour on', Brush],
  ['tint', 'Tint', 'Gives a hue and leaves light and dark as they are: grey maps in colours', Palette],
  ['tone', 'Tone', 'Lighter or darker, stronger or weaker, another hue', SunDim],
  ['soften', 'Soften', 'Blurs what is too hard', Contrast],
  ['sharpen', 'Sharpen', 'Brings out fine lines', Focus],
];

const WORK = {
  client: retouchClient,
  kept: keptTouches,
  desk: retouchDesk,
  operationId: OPERATION_IDS.textureByHand,
  param: 'touches',
};

/** Work on the colours by hand: strokes on the surface, each taken back alone, kept together as a step. */
export function RetouchPanel({ piece, steps, busy }: StagePanelProps) {
  const modelId = piece.model?.id;
  const settings = useStore(retouchDesk);
  const work = useStore(retouchClient);
  const { edits, opened } = work;
  const otherTool = useAppSelector((s) => s.view.tool) !== 'turn';
  const dispatch = useAppDispatch();
  useEffect(() => retouchClient.know(piece), [piece]);
  const { keep, waiting, error } = useWork(WORK, {
    pieceId: piece.id,
    surface: modelId,
    steps,
    busy,
    bounds: opened?.bounds,
  });
  if (!modelId) return null;

  const { tool } = settings;
  const choose = (next: TouchKind): void => {
    if (otherTool) dispatch(toolChosen('turn'));
    // Strokes are drawn on the whole surface.
    dispatch(lightShown(false));
    retouchClient.open(modelId);
    retouchDesk.choose(tool === next ? null : next);
  };
  return (
    <section aria-label="Colours by hand" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Colours by hand</h3>
      <p className="mb-2 mt-1 text-muted">
        Draw on the surface. Each stroke can be taken back; what you keep becomes one step, which can be run again on a
        map made anew.
      </p>
      <ToolGrid tools={TOOLS} tool={tool} columns={4} disabled={busy} onChoose={choose} />
      {tool && <ToolOptions settings={settings} tool={tool} frames={work.frames} />}
      <WorkBar
        work={work}
        called={['stroke', 'strokes']}
        error={error}
        busy={busy}
        waiting={waiting}
        onKeep={keep}
        onStep={(direction) => retouchClient.step(direction)}
        onDiscard={() => retouchClient.discard()}
      />
      {opened && (tool !== null || edits.length > 0) && <FlatMap png={opened.png} size={opened.size} />}
    </section>
  );
}

function ToolOptions({
  settings: s,
  tool,
  frames,
}: {
  settings: RetouchSettings;
  tool: TouchKind;
  frames: Readonly<Record<string, readonly string[]>>;
}) {
  const percent = (title: string, help: string, value: number, put: (share: number) => void) => (
    <NumberRow
      title={title}
      help={help}
      unit="%"
      value={Math.round(100 * value)}
      min={0}
      max={100}
      step={5}
      onChange={(p) => put(p / 100)}
    />
  );
  return (
    <div className="mt-2 flex flex-col gap-1.5">
      <NumberRow
        title="Brush"
        help="Radius of the brush. In the view: [ smaller, ] larger"
        unit="mm"
        value={s.radius}
        min={0.05}
        max={1000}
        step={0.5}
        onChange={(radius) => retouchDesk.set({ radius })}
      />
      {percent('Hardness', 'How far from its middle the brush works fully', s.hardness, (hardness) =>
        retouchDesk.set({ hardness }),
      )}
      {percent('Opacity', 'How much of the way a stroke goes', s.opacity, (opacity) => retouchDesk.set({ opacity }))}
      {(tool === 'paint' || tool === 'tint') && (
        <label className="grid grid-cols-[1fr_8.2rem] items-center gap-2">
          Colour
          <input
            type="color"
            value={s.color}
            onChange={(e) => retouchDesk.set({ color: e.target.value })}
            className="h-8 w-full rounded-lg border border-[var(--field)] bg-panel"
          />
        </label>
      )}
      {tool === 'picture' && <PictureChoice settings={s} frames={frames} />}
      {(tool === 'copy' || tool === 'picture') && (
        <Check
          checked={s.blend[tool]}
          onChange={() => retouchDesk.set({ blend: { ...s.blend, [tool]: !s.blend[tool] } })}
        >
          Take the colour of the place
        </Check>
      )}
      {tool === 'copy' && (
        <>
          <NumberRow
            title="Turned by"
            help="What is copied is turned by so much, counter-clockwise"
            unit="°"
            value={s.turn}
            min={-360}
            max={360}
            step={15}
            onChange={(turn) => retouchDesk.set({ turn })}
          />
          {s.from && <Button onClick={() => retouchDesk.set({ from: null })}>Copy from another place</Button>}
        </>
      )}
      {tool === 'tone' && (
        <>
          <NumberRow
            title="Lighter"
            help="In doublings of the light; below 0 darker"
            unit="×2"
            value={s.lighter}
            min={-8}
            max={8}
            step={0.1}
            onChange={(lighter) => retouchDesk.set({ lighter })}
          />
          <NumberRow
            title="Strength of colour"
            help="1 leaves it, 0 is grey"
            unit="×"
            value={s.strength}
            min={0}
            max={10}
            step={0.1}
            onChange={(strength) => retouchDesk.set({ strength })}
          />
          <NumberRow
            title="Hue"
            help="Turned round the circle of hues"
            unit="°"
            value={s.hue}
            min={-360}
            max={360}
            step={5}
            onChange={(hue) => retouchDesk.set({ hue })}
          />
        </>
      )}
    </div>
  );
}

function PictureChoice({
  settings: { scan, frame },
  frames,
}: {
  settings: RetouchSettings;
  frames: Readonly<Record<string, readonly string[]>>;
}) {
  const scans = retouchClient.pictureScans;
  if (scans.length === 0) return <p className="m-0 text-muted">No registered scan has pictures.</p>;
  const names = scan ? frames[scan] : undefined;
  const none = { '': 'Choose …' };
  return (
    <>
      <SelectRow
        title="Scan"
        value={scan ?? ''}
        choices={{ ...none, ...Object.fromEntries(scans.map((s) => [s.name, s.name])) }}
        onChange={(name: string) => name && retouchDesk.chooseScan(name)}
      />
      {scan && !names && <p className="m-0 text-muted">Loading its pictures …</p>}
      {names && (
        <SelectRow
          title="Picture"
          value={frame ?? ''}
          choices={{ ...none, ...Object.fromEntries(names.map((n) => [n, n])) }}
          onChange={(name: string) => retouchDesk.set({ frame: name || null })}
        />
      )}
    </>
  );
}
