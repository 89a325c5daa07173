import { useEffect, useId, useMemo, useState } from 'react';
import { Controller, useForm, type Control } from 'react-hook-form';
import {
  Disclosure,
  DisclosureButton,
  DisclosurePanel,
  Label,
  Listbox,
  ListboxButton,
  ListboxOption,
  ListboxOptions,
} from '@headlessui/react';
import { Check, ChevronDown, ChevronRight } from 'lucide-react';
import type { OperationView, ParamField, PieceView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Button, Notice } from '../../shared/controls';
import { HelpMark } from '../../shared/help-mark';
import type { StagePreview } from '../../stages/stage-module';
import { DemandList } from './demand-list';

type Values = Record<string, string | boolean | string[]>;

/** The form of one operation, made from its definition, filled with suggested values. */
export function OperationForm({
  piece,
  operation,
  main,
  busy,
  preview,
  wanted = false,
}: {
  piece: PieceView;
  operation: OperationView;
  main: boolean;
  busy: boolean;
  /** Shows what it would do, without doing it. */
  preview?: StagePreview;
  /** Somebody looked for it: it is open. */
  wanted?: boolean;
}) {
  const pieceId = piece.id;
  const { data: suggested, isLoading: isAsking } = api.useSuggestionsQuery({ pieceId, operationId: operation.id });
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const [open, setOpen] = useState(main);
  const { register, handleSubmit, reset, formState, control } = useForm<Values>();
  const panel = useId();
  useEffect(() => {
    if (wanted) setOpen(true);
  }, [wanted]);
  const asked = useMemo(() => operation.fields.filter(isAsked), [operation]);
  const dimensions = useDimensionChoices(piece, asked);

  useEffect(() => {
    // What has been typed already stays: suggestions may come late, and come anew with every change of the piece.
    reset(Object.fromEntries(asked.map((f) => [f.name, toInput(f, suggested?.values[f.name] ?? f.default)])), {
      keepDirtyValues: true,
    });
  }, [suggested, asked, reset]);

  const paramsFrom = (values: Values): Record<string, unknown> =>
    Object.fromEntries(asked.map((f) => [f.name, fromInput(f, values[f.name])]));
  const submit = handleSubmit((values) => run({ pieceId, operationId: operation.id, params: paramsFrom(values) }));
  const fieldOf = (f: ParamField) =>
    f.kind === 'scans' ? (
      <ScansField key={f.name} pieceId={pieceId} field={f} control={control} />
    ) : (
      <Field
        key={f.name}
        field={f}
        choices={f.kind === 'dimension' ? dimensions : f.choices}
        reason={suggested?.reasons[f.name]}
        suggested={suggested?.values[f.name] !== undefined}
        input={register(f.name)}
        invalid={Boolean(formState.errors[f.name])}
      />
    );
  return (
    <section data-place={operation.title} className="border-b border-line py-3 last:border-b-0">
      <h3 className="m-0">
        <button
          type="button"
          aria-expanded={open}
          aria-controls={open && !isAsking ? panel : undefined}
          onClick={() => setOpen(!open)}
          className="flex w-full items-center gap-1 border-0 bg-transparent p-0 text-left text-sm font-semibold text-ink"
        >
          {open ? <ChevronDown size={16} /> : <ChevronRight size={16} />} {operation.title}
        </button>
      </h3>
      {/* Fields that fill themselves while somebody types would mix both. */}
      {open && !isAsking && (
        <form
          id={panel}
          onSubmit={(e) => void submit(e)}
          className="mt-1.5 flex flex-col gap-2"
          aria-label={operation.title}
        >
          <p className="m-0 text-muted">{operation.help}</p>
          <DemandList pieceId={pieceId} demands={suggested?.demands ?? []} busy={busy} />
          {asked.filter((f) => !f.more).map(fieldOf)}
          {asked.some((f) => f.more) && (
            <Disclosure>
              <DisclosureButton className="group inline-flex items-center gap-1 self-start border-0 bg-transparent p-0 text-muted hover:text-ink">
                <ChevronRight size={14} className="group-data-open:rotate-90" aria-hidden /> More settings
              </DisclosureButton>
              {/* Closed, its fields stay part of the form. */}
              <DisclosurePanel unmount={false} className="flex flex-col gap-2">
                {asked.filter((f) => f.more).map(fieldOf)}
              </DisclosurePanel>
            </Disclosure>
          )}
          {error && <Notice tone="error">{problemText(error)}</Notice>}
          {preview && (
            <Button
              title={preview.help}
              onClick={() => void handleSubmit((values) => preview.look(piece, paramsFrom(values)))()}
            >
              {preview.label}
            </Button>
          )}
          <Button tone={main ? 'go' : 'plain'} type="submit" disabled={busy || isLoading} className="mt-1">
            {operation.title}
          </Button>
        </form>
      )}
    </section>
  );
}

function Field({
  field: f,
  choices,
  suggested,
  reason,
  input,
  invalid,
}: {
  field: ParamField;
  /** What can be chosen, where something is. */
  choices: ParamField['choices'];
  suggested: boolean;
  /** Why it is suggested. */
  reason?: string;
  input: ReturnType<ReturnType<typeof useForm<Values>>['register']>;
  invalid: boolean;
}) {
  const id = useId();
  const help = useId();
  const box = 'w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1';
  return (
    <div>
      <div className="grid grid-cols-[1fr_8.2rem] items-center gap-2">
        <span>
          <label htmlFor={id}>{f.title}</label> <HelpMark about={f.title}>{helpText(f)}</HelpMark>
          {suggested && <span className="block text-[0.86em] text-muted">Suggested{reason ? `: ${reason}` : ''}</span>}
          <span id={help} className="sr-only">
            {helpText(f)}
          </span>
        </span>
        {choices ? (
          <select id={id} {...input} aria-describedby={help} className={box}>
            {choices.map((c) => (
              <option key={c.value} value={c.value}>
                {c.title}
              </option>
            ))}
          </select>
        ) : f.kind === 'flag' ? (
          <input
            id={id}
            type="checkbox"
            {...input}
            aria-describedby={help}
            className="h-4.5 w-4.5 justify-self-start accent-[var(--amber)]"
          />
        ) : f.kind === 'text' ? (
          <input id={id} type="text" {...input} placeholder={f.whenEmpty} aria-describedby={help} className={box} />
        ) : (
          <span className="flex items-center gap-1.5">
            <input
              id={id}
              type="number"
              step="any"
              min={f.min}
              max={f.max}
              required={f.whenEmpty === undefined}
              placeholder={f.whenEmpty}
              {...input}
              aria-describedby={help}
              aria-invalid={invalid}
              className={`num ${box}`}
            />
            {f.unit && <span className="shrink-0 text-muted">{f.unit}</span>}
          </span>
        )}
      </div>
    </div>
  );
}

/** What was measured on the piece, to choose from; asked for only if a field wants it. */
function useDimensionChoices(piece: PieceView, fields: readonly ParamField[]): ParamField['choices'] {
  const field = fields.find((f) => f.kind === 'dimension');
  const sheet = piece.dimensions?.id;
  const { data } = api.useDimensionsQuery(sheet ?? '', { skip: !field || !sheet });
  const names = (sheet && data?.asked.map((d) => d.name)) || [];
  return [{ value: '', title: field?.whenEmpty ?? '' }, ...names.map((name) => ({ value: name, title: name }))];
}

/** Places and pictures come from a panel, where they are looked at; the form asks for none. */
const isAsked = (f: ParamField): boolean => f.kind !== 'reaches' && f.kind !== 'pictures';

/** What a field is for, and what may be put in. */
const helpText = (f: ParamField): string =>
  f.min === undefined ? f.help : `${f.help} From ${f.min} to ${f.max}${f.unit ? ` ${f.unit}` : ''}.`;

/** Which scans a step works on: all, or those picked from the list. */
function ScansField({ pieceId, field: f, control }: { pieceId: string; field: ParamField; control: Control<Values> }) {
  const { data: piece } = api.usePieceQuery(pieceId);
  const names = piece?.scanList.map((s) => s.name) ?? [];
  return (
    <Controller
      control={control}
      name={f.name}
      render={({ field }) => {
        const chosen = Array.isArray(field.value) ? field.value.filter((n) => names.includes(n)) : [];
        return (
          <Listbox
            as="div"
            multiple
            value={chosen}
            onChange={field.onChange}
            className="grid grid-cols-[1fr_8.2rem] items-center gap-2"
          >
            <span>
              <Label>{f.title}</Label> <HelpMark about={f.title}>{f.help}</HelpMark>
            </span>
            <ListboxButton className="flex w-full min-w-0 items-center justify-between rounded-lg border border-[var(--field)] bg-panel px-2 py-1 text-left text-ink">
              <span className="truncate">
                {chosen.length === 0 ? f.whenEmpty : chosen.length === 1 ? chosen[0] : `${chosen.length} scans`}
              </span>
              <ChevronDown size={14} className="shrink-0" />
            </ListboxButton>
            <ListboxOptions
              anchor="bottom end"
              className="z-10 mt-1 max-h-72 w-56 overflow-y-auto rounded-lg border border-line bg-panel p-1 shadow-lg"
            >
              {names.map((n) => (
                <ListboxOption
                  key={n}
                  value={n}
                  className="flex cursor-default items-center gap-2 rounded-md px-2 py-1 text-ink data-focus:bg-sunk"
                >
                  {({ selected }) => (
                    <>
                      <Check size={14} className={selected ? '' : 'invisible'} /> <span className="truncate">{n}</span>
                    </>
                  )}
                </ListboxOption>
              ))}
            </ListboxOptions>
          </Listbox>
        );
      }}
    />
  );
}

function toInput(f: ParamField, v: unknown): string | boolean | string[] {
  if (f.kind === 'scans') return v as string[];
  if (f.kind === 'flag') return Boolean(v);
  return f.whenEmpty !== undefined && v === 0 ? '' : String(v);
}

function fromInput(f: ParamField, v: string | boolean | string[]): unknown {
  if (f.kind === 'scans') return v;
  if (f.kind === 'flag') return Boolean(v);
  return f.kind === 'choice' || f.kind === 'text' || f.kind === 'dimension' ? v : Number(v);
}
