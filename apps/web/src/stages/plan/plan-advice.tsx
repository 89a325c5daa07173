import { Link } from 'react-router';
import { AlertTriangle, Lightbulb } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { advise, FIRST_ANSWERS } from '@amber-knit/planning';
import { api } from '../../api/api';

const FIT_WORDS = { good: 'fits well', possible: 'possible', poor: 'does not fit' };

/** What follows from the answers. */
export function PlanAdvicePanel({ piece }: { piece: PieceView }) {
  const { data: list } = api.useDevicesQuery();
  const [setPlan] = api.useSetPlanMutation();
  const answers = piece.plan ?? FIRST_ANSWERS;
  const { devices, warnings, setups, settings, trackBy, defaults, tips } = advise(answers, list?.devices ?? []);
  return (
    <div className="mt-2 flex flex-col gap-4">
      {warnings.length > 0 && (
        <section aria-label="Warnings" className="flex flex-col gap-2">
          {warnings.map((w) => (
            <div
              key={w.topic}
              className={`flex gap-2 rounded-lg border px-3 py-2 ${w.serious ? 'border-brick bg-brick-soft' : 'border-line bg-sunk'}`}
            >
              <AlertTriangle size={17} className={`mt-0.5 shrink-0 ${w.serious ? 'text-brick' : 'text-amber'}`} />
              <div>
                <b className="font-semibold">{w.topic}.</b> {w.text} {w.remedy}
              </div>
            </div>
          ))}
        </section>
      )}
      <section aria-label="Device">
        <h3 className="mb-1 mt-0 text-sm font-semibold">Device</h3>
        <ul className="m-0 flex list-none flex-col gap-1.5 p-0">
          {devices.map((d) => {
            const info = list!.devices.find((x) => x.id === d.id)!;
            return (
              <li key={d.id}>
                <label className="flex cursor-pointer items-start gap-2">
                  <input
                    type="radio"
                    name="plan-device"
                    checked={answers.deviceId === d.id}
                    onChange={() => void setPlan({ pieceId: piece.id, plan: { ...answers, deviceId: d.id } })}
                    className="mt-1 accent-[var(--amber)]"
                  />
                  <span>
                    {info.name}{' '}
                    <span className={d.fit === 'poor' ? 'text-brick' : d.fit === 'good' ? 'text-teal' : 'text-muted'}>
                      {FIT_WORDS[d.fit]}
                    </span>
                    <span className="block text-muted">{d.reason}</span>
                  </span>
                </label>
              </li>
            );
          })}
          {devices.length === 0 && <li className="text-muted">{list?.reason ?? 'Looking for devices …'}</li>}
        </ul>
      </section>
      <section aria-label="Setups">
        <h3 className="mb-1 mt-0 text-sm font-semibold">Setups</h3>
        <ol className="m-0 list-decimal pl-5">
          {setups.map((s) => (
            <li key={s.name}>
              {s.name} <span className="text-muted">{s.reason}</span>
            </li>
          ))}
        </ol>
      </section>
      <section aria-label="What follows">
        <h3 className="mb-1 mt-0 text-sm font-semibold">What follows</h3>
        <dl className="m-0 grid grid-cols-[1fr_auto] gap-x-3 gap-y-0.5">
          <Fact title="Tracking leans on" value={trackBy} />
          <Fact
            title="Exposure"
            value={settings.exposure === undefined ? 'the device’s own' : `${settings.exposure} ms`}
          />
          <Fact title="Finest resolution" value={`${defaults.voxel} mm`} />
          <Fact title="Triangles at the end" value={`${defaults.triangles / 1000}k`} />
          <Fact title="Map" value={`${defaults.mapSize}²`} />
        </dl>
      </section>
      <section aria-label="Advice" className="flex flex-col gap-1.5">
        {tips.map((t) => (
          <div key={t} className="flex gap-2">
            <Lightbulb size={16} className="mt-0.5 shrink-0 text-amber" />
            <span>{t}</span>
          </div>
        ))}
      </section>
      <Link
        to={`/pieces/${piece.id}/bench/capture`}
        className="rounded-lg border border-amber bg-amber px-3 py-1.5 text-center font-semibold text-on-amber no-underline"
      >
        Go and scan
      </Link>
    </div>
  );
}

function Fact({ title, value }: { title: string; value: string }) {
  return (
    <>
      <dt className="text-muted">{title}</dt>
      <dd className="num m-0 text-right">{value}</dd>
    </>
  );
}
