import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { ChevronDown, Ruler, SquareSplitHorizontal } from 'lucide-react';
import { useAppDispatch, useAppSelector } from '../app/store';
import {
  colorChosen,
  edgesToggled,
  litToggled,
  sectionSet,
  toolChosen,
  wireframeToggled,
  type ColorMode,
} from '../app/view-slice';
import { Button } from '../shared/controls';
import { STANDARD_VIEWS, type StandardView } from './view-engine';

const COLORS: [ColorMode, string][] = [
  ['true', 'True colour'],
  ['scan', 'Colour by scan'],
  ['height', 'Colour by height'],
  ['shape', 'Shape only'],
  ['invented', 'Measured or invented'],
  ['scans', 'How many scans'],
  ['error', 'Expected error'],
];
/** Points know nothing of these. */
const SURFACE_ONLY: ColorMode[] = ['invented', 'scans', 'error'];
const VIEW_NAMES: Record<StandardView, string> = {
  front: 'Front',
  back: 'Back',
  left: 'Left',
  right: 'Right',
  top: 'Top',
  below: 'Below',
};

/** What the toolbar offers besides true colour and the standard views; all of it where nothing else is said. */
export interface ToolbarOffer {
  colors: readonly ColorMode[];
  wireframe: boolean;
  measuring: boolean;
  section: boolean;
}

const EVERYTHING: ToolbarOffer = { colors: COLORS.map(([id]) => id), wireframe: true, measuring: true, section: true };

/** Buttons above the view: how things are shown. */
export function ViewToolbar({
  onFit,
  hasSurface,
  offer = EVERYTHING,
}: {
  onFit: (v?: StandardView) => void;
  hasSurface: boolean;
  offer?: ToolbarOffer;
}) {
  const view = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const colors = COLORS.filter(
    ([id]) =>
      (id === 'true' || offer.colors.includes(id)) &&
      (hasSurface ? id !== 'scan' && id !== 'height' : !SURFACE_ONLY.includes(id)),
  );
  const shown = colors.find(([id]) => id === view.color) ?? colors[0];
  return (
    <div className="absolute left-3 top-3 flex flex-wrap gap-1.5" role="toolbar" aria-label="View">
      {colors.length > 1 && (
        <Choice label={shown[1]} items={colors.map(([id, name]) => ({ name, run: () => dispatch(colorChosen(id)) }))} />
      )}
      <Choice
        label="Views"
        items={[
          { name: 'Fit all', run: () => onFit() },
          ...(Object.keys(STANDARD_VIEWS) as StandardView[]).map((v) => ({ name: VIEW_NAMES[v], run: () => onFit(v) })),
        ]}
      />
      {hasSurface && (
        <>
          <Button
            aria-pressed={view.lit}
            className={view.lit ? 'border-teal! bg-teal-soft!' : ''}
            onClick={() => dispatch(litToggled())}
          >
            Lit
          </Button>
          {offer.wireframe && (
            <Button
              aria-pressed={view.wireframe}
              className={view.wireframe ? 'border-teal! bg-teal-soft!' : ''}
              onClick={() => dispatch(wireframeToggled())}
            >
              Wireframe
            </Button>
          )}
        </>
      )}
      {!hasSurface && (
        <Button
          aria-pressed={view.edges}
          className={view.edges ? 'border-teal! bg-teal-soft!' : ''}
          title="Shades edges, so that the shape of points is to be seen"
          onClick={() => dispatch(edgesToggled())}
        >
          Edges
        </Button>
      )}
      {offer.measuring && (
        <Button
          aria-pressed={view.tool === 'measure'}
          className={view.tool === 'measure' ? 'border-teal! bg-teal-soft!' : ''}
          onClick={() => dispatch(toolChosen(view.tool === 'measure' ? 'turn' : 'measure'))}
        >
          <Ruler size={15} /> Measure
        </Button>
      )}
      {offer.section && (
        <Button
          aria-pressed={view.section !== null}
          className={view.section ? 'border-teal! bg-teal-soft!' : ''}
          title="Shows only a slab of the piece"
          onClick={() => dispatch(sectionSet(view.section ? null : { axis: 'z', at: 0.5, thickness: 2 }))}
        >
          <SquareSplitHorizontal size={15} /> Section
        </Button>
      )}
    </div>
  );
}

function Choice({ label, items }: { label: string; items: { name: string; run: () => void }[] }) {
  return (
    <Menu as="div" className="relative">
      <MenuButton as={Button}>
        {label} <ChevronDown size={14} />
      </MenuButton>
      <MenuItems
        anchor="bottom start"
        className="z-10 mt-1 min-w-40 rounded-lg border border-line bg-panel p-1 shadow-lg"
      >
        {items.map((i) => (
          <MenuItem key={i.name}>
            <button
              type="button"
              onClick={i.run}
              className="block w-full rounded-md border-0 bg-transparent px-3 py-1.5 text-left text-ink data-focus:bg-sunk"
            >
              {i.name}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
