import { lazy, Suspense, useState } from 'react';
import { BookOpen } from 'lucide-react';
import type { Stage } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { IconButton, Notice } from '../../shared/controls';
import { Modal } from '../../shared/modal';

// Fetched when somebody first reads a page.
const Markdown = lazy(async () => ({ default: (await import('markdown-to-jsx/react')).default }));

/** What the stage is for, common mistakes, and what an expert looks at: a page of docs/help. */
export function StageHelp({ stage, name }: { stage: Stage; name: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <IconButton label="What goes on at this stage" onClick={() => setOpen(true)}>
        <BookOpen size={16} aria-hidden />
      </IconButton>
      {open && (
        <Modal title={name} width="wide" onClose={() => setOpen(false)}>
          <Page stage={stage} />
        </Modal>
      )}
    </>
  );
}

function Page({ stage }: { stage: Stage }) {
  const { data, error } = api.useHelpQuery(stage);
  if (error) return <Notice tone="error">{problemText(error)}</Notice>;
  return (
    <div className="page">
      <Suspense>{data && <Markdown options={{ disableParsingRawHTML: true }}>{data.markdown}</Markdown>}</Suspense>
      <img
        src={`/api/help/${stage}/picture`}
        alt="The bench at this stage"
        width="1280"
        height="800"
        className="mt-3 h-auto w-full rounded-lg border border-line"
      />
    </div>
  );
}
