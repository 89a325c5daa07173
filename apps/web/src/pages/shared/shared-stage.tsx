import { useEffect, useMemo, useState } from 'react';
import { Provider } from 'react-redux';
import { Download } from 'lucide-react';
import type { SharedPage } from '@amber-knit/contracts';
import { bytesText, dimensionText, measuredText } from '@amber-knit/operations/quantity-text';
import { store, useAppDispatch, useAppSelector } from '../../app/store';
import { lightShown, placeLookedAt } from '../../app/view-slice';
import { Check } from '../../shared/controls';
import { useStore } from '../../shared/store';
import { DimensionLabels } from '../../view/dimension-labels';
import type { OverlayProps, ViewOverlay } from '../../view/view-overlay';
import { Viewport } from '../../view/viewport';
import { FirstPicture } from './first-picture';
import { SharedDesk } from './shared-desk';
import { offerOf, pieceOf } from './shared-piece';

/** A shared view from the inside: the surface, what may be done with it, and what lies beside it. */
export function SharedStage(props: { token: string; page: SharedPage }) {
  return (
    <Provider store={store}>
      <Stage {...props} />
    </Provider>
  );
}

function Stage({ token, page }: { token: string; page: SharedPage }) {
  const dispatch = useAppDispatch();
  const light = useAppSelector((s) => s.view.light);
  const [desk] = useState(() => new SharedDesk());
  const { rows, selected } = useStore(desk);
  const piece = useMemo(() => pieceOf(token, page), [token, page]);
  const offer = useMemo(() => offerOf(page), [page]);
  const hasLight = page.surfaces.includes('light') && page.surfaces.length > 1;
  useEffect(() => void dispatch(lightShown(page.surfaces.includes('light'))), [dispatch, page]);
  useEffect(() => {
    if (page.dimensions) void desk.load(token);
  }, [desk, token, page]);
  const overlays = useMemo((): readonly ViewOverlay[] => {
    const Waiting = ({ engine }: OverlayProps) => <UntilThere engine={engine} token={token} page={page} />;
    const Labels = ({ engine }: OverlayProps) => <Labelled engine={engine} desk={desk} />;
    return [Labels, Waiting];
  }, [token, page, desk]);
  const aside = rows.length > 0 || page.files.length > 0 || hasLight;
  return (
    <main className="flex min-h-0 flex-1 max-md:flex-col">
      <Viewport piece={piece} shown="model" overlays={overlays} offer={offer} />
      {aside && (
        <aside className="w-76 shrink-0 overflow-y-auto border-l border-line bg-panel px-4 py-3 max-md:max-h-[32dvh] max-md:w-full max-md:border-l-0 max-md:border-t">
          {hasLight && (
            <Check checked={!light} onChange={() => dispatch(lightShown(!light))}>
              Full detail ({page.triangles.toLocaleString('en-US')} triangles)
            </Check>
          )}
          {rows.length > 0 && (
            <section aria-label="Dimensions and notes">
              <h2 className="mb-1 mt-2 text-sm font-semibold">Dimensions and notes</h2>
              <ol className="m-0 flex list-none flex-col gap-0.5 p-0">
                {rows.map((row, i) => (
                  <li key={i}>
                    <button
                      type="button"
                      aria-pressed={selected === i}
                      onClick={() => {
                        desk.select(i);
                        dispatch(placeLookedAt({ place: row.found.label, size: 60 }));
                      }}
                      className={`flex min-h-11 w-full items-center gap-2 rounded-lg border-0 px-1 text-left text-ink ${selected === i ? 'bg-teal-soft' : 'bg-transparent hover:bg-sunk'}`}
                    >
                      <b className="num w-5 shrink-0 text-right">{i + 1}</b>
                      <span className="min-w-0 flex-1">
                        {row.asked.name}
                        {row.asked.kind !== 'note' && (
                          <span className="num block">{measuredText(row.found.values[0])}</span>
                        )}
                        {row.asked.note && <span className="block text-muted">{row.asked.note}</span>}
                      </span>
                    </button>
                  </li>
                ))}
              </ol>
            </section>
          )}
          {page.files.length > 0 && (
            <section aria-label="Files">
              <h2 className="mb-1 mt-3 text-sm font-semibold">Files</h2>
              {page.files.map((file, i) => (
                <a
                  key={file.name}
                  href={`/api/shared/${token}/files/${i}`}
                  download={file.name}
                  className="flex min-h-11 items-center gap-2 text-ink"
                >
                  <Download size={16} aria-hidden /> <span className="min-w-0 flex-1 truncate">{file.name}</span>
                  <span className="num text-muted">{bytesText(file.bytes)}</span>
                </a>
              ))}
            </section>
          )}
        </aside>
      )}
    </main>
  );
}

/** Dimensions and notes over the view. */
function Labelled({ engine, desk }: Pick<OverlayProps, 'engine'> & { desk: SharedDesk }) {
  const { rows, selected } = useStore(desk);
  return (
    <DimensionLabels
      engine={engine}
      rows={rows.map(({ asked, found }, i) => ({
        text: `${i + 1}: ${dimensionText(asked, found)}`,
        title: asked.name,
        label: found.label,
        lines: found.lines,
        unsure: found.inventedRatio > 0,
      }))}
      selected={selected}
      onSelect={(at) => desk.select(at)}
    />
  );
}

/** Covers the view with the first picture until a surface is shown in it. */
function UntilThere({ engine, token, page }: Pick<OverlayProps, 'engine'> & { token: string; page: SharedPage }) {
  const [there, setThere] = useState(engine.triangles > 0);
  useEffect(() => engine.whenPainted(() => setThere(engine.triangles > 0)), [engine]);
  return there ? null : <FirstPicture token={token} pictures={page.pictures} />;
}
