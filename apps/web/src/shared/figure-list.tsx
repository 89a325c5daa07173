import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { ChevronRight, CircleCheck, CircleX, TriangleAlert } from 'lucide-react';
import type { FigureView } from '@amber-knit/contracts';
import { HelpMark } from './help-mark';

/** What a step found: what one wants to know first in large, the rest folded away. */
export function FigureList({ figures }: { figures: readonly FigureView[] }) {
  const headlines = figures.filter((f) => f.rank === 'headline');
  const rest = figures.filter((f) => f.rank !== 'headline');
  return (
    <>
      {headlines.length > 0 && (
        <dl className="m-0 grid grid-cols-2 gap-x-3 gap-y-1.5">
          {headlines.map((f) => (
            <div key={f.name} className="flex min-w-0 flex-col-reverse justify-end">
              <dt className="text-muted">
                {f.label} <HelpMark about={f.label}>{f.help}</HelpMark>
              </dt>
              <dd className="num m-0 text-lg leading-tight font-medium break-words">
                {f.text} <VerdictMark figure={f} />
              </dd>
            </div>
          ))}
        </dl>
      )}
      {rest.length > 0 && (
        <Disclosure as="div" className="mt-1.5">
          <DisclosureButton className="group inline-flex items-center gap-1 border-0 bg-transparent p-0 text-muted hover:text-ink">
            <ChevronRight size={14} className="group-data-open:rotate-90" aria-hidden /> Details
            {!rest.every((f) => !f.verdict || f.verdict.tone === 'good') && ', some to look at'}
          </DisclosureButton>
          <DisclosurePanel>
            <FigureRows figures={rest} />
          </DisclosurePanel>
        </Disclosure>
      )}
    </>
  );
}

/** Figures one below the other. */
export function FigureRows({ figures }: { figures: readonly FigureView[] }) {
  return (
    <dl className="m-0 mt-1 grid grid-cols-[1fr_auto] gap-x-3">
      {figures.map((f) => (
        <div key={f.name} className="contents">
          <dt className="text-muted">
            {f.label} <HelpMark about={f.label}>{f.help}</HelpMark>
          </dt>
          <dd className="num m-0 text-right break-words">
            {f.text} <VerdictMark figure={f} />
          </dd>
        </div>
      ))}
    </dl>
  );
}

const MARKS = {
  good: { Icon: CircleCheck, color: 'text-teal' },
  doubtful: { Icon: TriangleAlert, color: 'text-amber' },
  bad: { Icon: CircleX, color: 'text-brick' },
} as const;

/** A sign of its own shape for good, doubtful and bad, with the word for who doesn't see it. */
function VerdictMark({ figure: { verdict } }: { figure: FigureView }) {
  if (!verdict) return null;
  const { Icon, color } = MARKS[verdict.tone];
  return <Icon size={14} role="img" aria-label={verdict.word} className={`inline align-[-2px] ${color}`} />;
}
