import { useEffect } from 'react';
import { LocateFixed } from 'lucide-react';
import { areaText } from '@amber-knit/operations/quantity-text';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt } from '../../../app/view-slice';
import { Check, IconButton, Notice, SelectRow } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { BEYOND_TINT } from './knowledge-colors';
import { knowledgeClient } from './knowledge-client';
import { KnowledgeHistogram } from './knowledge-histogram';
import { QUALITIES, QUALITY_IDS, qualityOf, type QualityId } from './qualities';

const TITLES = Object.fromEntries(QUALITY_IDS.map((id) => [id, QUALITIES[id].title])) as Record<QualityId, string>;
/** How much around a place is shown, by the root of its area; at least so many mm. */
const AROUND = 3;
const LEAST_AROUND = 15;

/** How well the surface was measured: painted on it, by a limit, with the places that do not keep it. */
export function KnowledgePanel({ piece }: StagePanelProps) {
  const meshId = piece.mesh?.id;
  const { quality: id, found, unknown, failed, shown, limit } = useStore(knowledgeClient);
  const dispatch = useAppDispatch();
  useEffect(() => (meshId ? knowledgeClient.look(meshId) : knowledgeClient.clear()), [meshId]);
  useEffect(() => () => knowledgeClient.clear(), []);
  if (!meshId) return null;
  const quality = qualityOf(id);
  const share = found && found.spread.known > 0 ? found.beyond / found.spread.known : 0;
  return (
    <section aria-label="How well measured" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">How well measured</h3>
      <Check checked={shown} onChange={() => knowledgeClient.show(!shown)}>
        Show it on the surface
      </Check>
      {shown && (
        <div className="mt-1 flex flex-col gap-1.5">
          <SelectRow title="By" value={id} choices={TITLES} onChange={(q: QualityId) => knowledgeClient.choose(q)} />
          {failed && <Notice tone="error">{failed}</Notice>}
          {unknown && <p className="m-0 text-muted">This surface does not know it. Fuse the scans to learn it.</p>}
          {!found && !unknown && !failed && <p className="m-0 text-muted">Looking through the surface …</p>}
          {found && (
            <>
              <KnowledgeHistogram found={found} share={share} />
              <NumberRow
                title={quality.worse === 'above' ? 'At most' : 'At least'}
                help={quality.help}
                unit={quality.unit}
                value={limit ?? found.limit}
                min={0}
                max={100_000}
                step={quality.step}
                onChange={(most) => knowledgeClient.setLimit(most)}
              />
              <p className="m-0">
                <span
                  aria-hidden
                  className="mr-1.5 inline-block h-3 w-3 rounded-sm align-[-1px]"
                  style={{ background: BEYOND_TINT }}
                />
                <b className="num">{(100 * share).toFixed(1)} %</b> of the measured surface is{' '}
                {quality.beyond(quality.text(found.limit))}.
                {found.spread.unknown > 0 && <span className="text-muted"> Grey: not measured.</span>}
              </p>
              {found.places.length > 0 && (
                <>
                  <h4 className="m-0 mt-1 font-semibold">Largest such places</h4>
                  <ol className="m-0 flex max-h-40 list-none flex-col gap-0.5 overflow-y-auto p-0">
                    {found.places.map((p, i) => (
                      <li key={i} className="flex items-center gap-2 rounded-lg px-1 hover:bg-sunk">
                        <b className="num w-5 text-right">{i + 1}</b>
                        <span className="num flex-1">{areaText(p.area)}</span>
                        <span className="num text-muted">{quality.text(p.worst)}</span>
                        <IconButton
                          label={`Go to place ${i + 1}`}
                          onClick={() => {
                            const size = Math.max(LEAST_AROUND, AROUND * Math.sqrt(p.area));
                            const from = p.place.map((c, k) => c + size * p.facing[k]) as typeof p.place;
                            dispatch(placeLookedAt({ place: p.place, size, from }));
                          }}
                        >
                          <LocateFixed size={15} aria-hidden />
                        </IconButton>
                      </li>
                    ))}
                  </ol>
                  <p className="m-0 text-muted">Where to scan next (Register) shows from where a scanner sees more.</p>
                </>
              )}
            </>
          )}
        </div>
      )}
    </section>
  );
}
