import { useEffect, useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import {
  FIRST_ANSWERS,
  type Amount,
  type Finish,
  type ObjectKind,
  type PlanAnswers,
  type RoomLight,
  type Surface,
} from '@amber-knit/planning';
import { api, problemText } from '../../api/api';
import { Card, Question } from '../../shared/answer-card';
import { Notice } from '../../shared/controls';
import { FinishDrawing, KindDrawing, SurfaceDrawing } from '../../shared/answer-drawings';

const KINDS: [ObjectKind, string][] = [
  ['vessel', 'Vessel'],
  ['part', 'Machine part'],
  ['figure', 'Figure'],
  ['flat', 'Flat thing'],
  ['furniture', 'Furniture'],
  ['room', 'Room, or part of one'],
];
const SURFACES: [Surface, string][] = [
  ['matte', 'Matte'],
  ['glossy', 'Glossy'],
  ['dark', 'Dark'],
  ['mirror', 'Mirror-like'],
  ['transparent', 'Transparent'],
  ['hair', 'Hair, fibres'],
];
const FINISHES: [Finish, string, string][] = [
  ['print', 'Print', 'closed, true to size'],
  ['archive', 'Archive', 'everything, finest'],
  ['render', 'Render, web', 'light, with colours'],
  ['reverse', 'Reverse engineering', 'crisp edges, measures'],
];
const AMOUNTS: [Amount, string][] = [
  ['plenty', 'Plenty'],
  ['some', 'Some'],
  ['hardly', 'Hardly any'],
];
const LIGHTS: [RoomLight, string][] = [
  ['dim', 'Dim'],
  ['room', 'Room light'],
  ['sun', 'Sun, bright lamps'],
];

/** The questionnaire: what the object is and what it is for. Every answer is kept at once. */
export function PlanForm({ piece }: { piece: PieceView }) {
  const [setPlan, saving] = api.useSetPlanMutation();
  const [answers, setAnswers] = useState<PlanAnswers>(piece.plan ?? FIRST_ANSWERS);
  const [size, setSize] = useState(String(answers.size));
  useEffect(() => {
    if (piece.plan) setAnswers(piece.plan);
  }, [piece.plan]);
  const answer = (change: Partial<PlanAnswers>): void => {
    const next = { ...answers, ...change };
    setAnswers(next);
    void setPlan({ pieceId: piece.id, plan: next });
  };
  const sizeFault = !(Number(size) >= 1 && Number(size) <= 50_000);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto bg-paper px-8 py-6">
      <div className="mx-auto flex max-w-3xl flex-col gap-6">
        {!piece.plan && (
          <Notice>
            A minute here saves an hour later: the answers choose the device, its settings, the setups and the later
            defaults. All of it can be changed at any time.
          </Notice>
        )}
        {saving.error !== undefined && <Notice tone="error">{problemText(saving.error)}</Notice>}
        <Question title="What is it?">
          <div className="grid grid-cols-3 gap-2 xl:grid-cols-6">
            {KINDS.map(([id, name]) => (
              <Card key={id} group="kind" on={answers.kind === id} onChoose={() => answer({ kind: id })}>
                <KindDrawing kind={id} />
                {name}
              </Card>
            ))}
          </div>
        </Question>
        <div className="grid grid-cols-2 gap-6">
          <Question title="How large is it?" help="Its longest side or diagonal.">
            <label className="flex items-center gap-2">
              <input
                type="number"
                min={1}
                max={50_000}
                value={size}
                aria-invalid={sizeFault}
                aria-label="Longest extent in millimetres"
                onChange={(e) => {
                  setSize(e.target.value);
                  const v = Number(e.target.value);
                  if (v >= 1 && v <= 50_000) answer({ size: v });
                }}
                className="num w-32 rounded-lg border border-[var(--field)] bg-panel px-2 py-1.5"
              />
              mm
            </label>
            {sizeFault && <p className="m-0 mt-1 text-brick">Between 1 and 50,000 mm.</p>}
          </Question>
          <Question title="What is it for?">
            <div className="grid grid-cols-2 gap-2">
              {FINISHES.map(([id, name, detail]) => (
                <Card key={id} group="finish" wide on={answers.finish === id} onChoose={() => answer({ finish: id })}>
                  <FinishDrawing finish={id} />
                  <span>
                    {name}
                    <span className="block font-normal text-muted">{detail}</span>
                  </span>
                </Card>
              ))}
            </div>
          </Question>
        </div>
        <Question title="What does its surface do?" help="All that apply.">
          <div className="grid grid-cols-3 gap-2 xl:grid-cols-6">
            {SURFACES.map(([id, name]) => {
              const on = answers.surfaces.includes(id);
              const surfaces = on ? answers.surfaces.filter((s) => s !== id) : [...answers.surfaces, id];
              return (
                <Card key={id} group={id} many on={on} onChoose={() => answer({ surfaces })}>
                  <SurfaceDrawing surface={id} />
                  {name}
                </Card>
              );
            })}
          </div>
        </Question>
        <div className="grid grid-cols-3 gap-6">
          <Question title="Edges and bumps to follow?">
            <Choice options={AMOUNTS} value={answers.shape} name="shape" onChange={(shape) => answer({ shape })} />
          </Question>
          <Question title="Paint, grain or print?">
            <Choice options={AMOUNTS} value={answers.marks} name="marks" onChange={(marks) => answer({ marks })} />
          </Question>
          <Question title="Light around it?">
            <Choice options={LIGHTS} value={answers.light} name="light" onChange={(light) => answer({ light })} />
          </Question>
        </div>
        <Question title="May it be touched?">
          <div className="flex gap-8">
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={answers.still} onChange={(e) => answer({ still: e.target.checked })} />
              It holds still
            </label>
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={answers.mayTouch}
                onChange={(e) => answer({ mayTouch: e.target.checked })}
              />
              It may be moved and turned over
            </label>
          </div>
        </Question>
      </div>
    </div>
  );
}

function Choice<T extends string>({
  options,
  value,
  name,
  onChange,
}: {
  options: [T, string][];
  value: T;
  name: string;
  onChange(v: T): void;
}) {
  return (
    <div className="flex flex-col gap-1">
      {options.map(([id, title]) => (
        <label key={id} className="flex min-h-[24px] items-center gap-2">
          <input
            type="radio"
            name={name}
            checked={value === id}
            onChange={() => onChange(id)}
            className="accent-[var(--amber)]"
          />
          {title}
        </label>
      ))}
    </div>
  );
}
