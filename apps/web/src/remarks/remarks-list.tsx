import { useState, type FormEvent } from 'react';
import { formatDistanceToNow } from 'date-fns';
import { Check, MapPin, RotateCcw, X } from 'lucide-react';
import type { PieceView, RemarkView, StepView } from '@amber-knit/contracts';
import { accountsApi, useWhyNot } from '../api/accounts-api';
import { api, problemText } from '../api/api';
import { remarksApi } from '../api/remarks-api';
import { Button, IconButton, Notice } from '../shared/controls';
import { useStore } from '../shared/store';
import { remarksDesk } from './remarks-desk';

/** What people said about the piece, and a line to say more. */
export function RemarksList({ piece }: { piece: PieceView }) {
  const { data: remarks } = remarksApi.useRemarksQuery(piece.id);
  const { data: steps = [] } = api.useStepsQuery(piece.id);
  const { chosen } = useStore(remarksDesk);
  const pins = remarks?.filter((r) => r.place) ?? [];
  return (
    <div className="flex flex-col gap-2 py-1">
      <NewRemark piece={piece} steps={steps} />
      {remarks?.length === 0 && (
        <p className="m-0 text-muted">
          Nothing was remarked yet. Say what others should look at: on the whole, on a step, or pinned to a place of the
          surface.
        </p>
      )}
      <ul className="m-0 flex list-none flex-col p-0" aria-label="Remarks">
        {remarks
          ?.map((remark) => (
            <Line
              key={remark.id}
              remark={remark}
              piece={piece}
              number={pins.indexOf(remark) + 1}
              step={steps.find((s) => s.id === remark.stepId)}
              chosen={remark.id === chosen}
            />
          ))
          .reverse()}
      </ul>
    </div>
  );
}

function Line({
  remark,
  piece,
  number,
  step,
  chosen,
}: {
  remark: RemarkView;
  piece: PieceView;
  /** Of its pin; 0 without one. */
  number: number;
  step: StepView | undefined;
  chosen: boolean;
}) {
  const [setDone, { error: notDone }] = remarksApi.useSetRemarkDoneMutation();
  const [takeBack, { error: notTaken }] = remarksApi.useTakeBackRemarkMutation();
  const { data: session } = accountsApi.useSessionQuery();
  const mayWork = useWhyNot('work', piece.owner) === null;
  const mine = !session?.person || session.person.id === remark.by?.id;
  const error = notDone ?? notTaken;
  return (
    <li className={`flex items-start gap-3 border-t border-line py-1.5 ${chosen ? 'bg-sunk' : ''}`}>
      {number > 0 ? (
        <button
          type="button"
          aria-label={`Show pin ${number}`}
          title={remark.fresh ? 'Show it in the view' : 'The surface has changed since: the place may be another'}
          onClick={() => remarksDesk.visit(remark.id)}
          className="num grid h-6 min-w-6 place-items-center rounded-full border border-teal bg-panel px-1 text-teal"
        >
          {number}
        </button>
      ) : (
        <span className="min-w-6" />
      )}
      <span className="min-w-0 flex-1">
        <span className={`whitespace-pre-wrap ${remark.done ? 'text-muted line-through' : ''}`}>{remark.text}</span>
        <span className="block text-muted">
          {remark.by && `${remark.by.name}, `}
          {formatDistanceToNow(new Date(remark.at), { addSuffix: true })}
          {step && `, on “${step.title}”`}
          {!remark.fresh && ', pinned to an earlier surface'}
          {remark.done && `, done${remark.done.by ? ` by ${remark.done.by}` : ''}`}
        </span>
        {error && <Notice tone="error">{problemText(error)}</Notice>}
      </span>
      <IconButton
        label={remark.done ? 'Not done after all' : 'Done'}
        onClick={() => void setDone({ pieceId: piece.id, id: remark.id, done: !remark.done })}
      >
        {remark.done ? <RotateCcw size={15} aria-hidden /> : <Check size={16} aria-hidden />}
      </IconButton>
      {(mine || mayWork) && (
        <IconButton label="Take the remark back" onClick={() => void takeBack({ pieceId: piece.id, id: remark.id })}>
          <X size={16} aria-hidden />
        </IconButton>
      )}
    </li>
  );
}

function NewRemark({ piece, steps }: { piece: PieceView; steps: readonly StepView[] }) {
  const [add, { error, isLoading }] = remarksApi.useAddRemarkMutation();
  const [text, setText] = useState('');
  const [stepId, setStepId] = useState('');
  const { picking, place: chosen } = useStore(remarksDesk);
  const place = chosen && chosen.meshId === piece.mesh?.id ? chosen.at : null;
  const submit = async (e: FormEvent): Promise<void> => {
    e.preventDefault();
    await add({
      pieceId: piece.id,
      text: text.trim(),
      ...(place ? { place } : {}),
      ...(stepId ? { stepId } : {}),
    }).unwrap();
    setText('');
    setStepId('');
    remarksDesk.set({ place: null });
  };
  return (
    <form onSubmit={(e) => void submit(e).catch(() => undefined)} className="flex flex-wrap items-center gap-2">
      <input
        aria-label="Remark"
        placeholder="What should others look at?"
        value={text}
        maxLength={2000}
        onChange={(e) => setText(e.target.value)}
        className="min-w-48 flex-1 rounded-lg border border-[var(--field)] bg-panel px-2 py-1 text-ink"
      />
      <Button
        disabled={!piece.mesh}
        title={piece.mesh ? undefined : 'There is no surface to pin it to yet'}
        onClick={() => (picking ? remarksDesk.cancel() : remarksDesk.pick())}
      >
        <MapPin size={15} aria-hidden />
        {picking ? 'Click the place …' : place ? 'Pinned: pin elsewhere' : 'Pin to a place'}
      </Button>
      <select
        aria-label="On a step"
        value={stepId}
        onChange={(e) => setStepId(e.target.value)}
        className="max-w-52 rounded-lg border border-[var(--field)] bg-panel px-1 py-1 text-ink"
      >
        <option value="">on no step</option>
        {steps.map((s, i) => (
          <option key={s.id} value={s.id}>
            on {i + 1}: {s.title}
          </option>
        ))}
      </select>
      <Button tone="go" type="submit" disabled={isLoading || text.trim() === ''}>
        Remark
      </Button>
      {error && <Notice tone="error">{problemText(error)}</Notice>}
    </form>
  );
}
