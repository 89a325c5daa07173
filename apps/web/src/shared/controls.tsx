import { useId, type ButtonHTMLAttributes, type InputHTMLAttributes, type ReactNode } from 'react';
import { Moon, Sun } from 'lucide-react';
import { useTheme } from './theme';

export function Button({
  tone = 'plain',
  className = '',
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { tone?: 'plain' | 'go' | 'quiet' }) {
  const tones = {
    plain: 'border-line bg-panel text-ink hover:bg-sunk',
    go: 'border-amber bg-amber text-on-amber font-semibold hover:brightness-95',
    quiet: 'border-transparent bg-transparent text-ink hover:bg-sunk',
  };
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex min-h-8 items-center justify-center gap-1.5 rounded-lg border px-3 py-1 disabled:cursor-not-allowed disabled:opacity-50 ${tones[tone]} ${className}`}
    />
  );
}

export function Mark() {
  return (
    <svg viewBox="0 0 32 32" width="22" height="22" fill="none" strokeLinecap="round" strokeWidth="3" aria-hidden>
      <path d="M7 6c8 5 8 15 0 20" stroke="var(--amber)" />
      <path d="M25 6c-8 5-8 15 0 20" stroke="var(--amber)" />
      <path d="M16 5c-5 7-5 15 0 22" stroke="var(--teal)" />
    </svg>
  );
}

/** Changes between light and dark. */
export function ThemeButton() {
  const [theme, toggle] = useTheme();
  return (
    <Button
      tone="quiet"
      aria-label={theme === 'light' ? 'Use the dark theme' : 'Use the light theme'}
      title="Light or dark"
      onClick={toggle}
      className="px-2"
    >
      {theme === 'light' ? <Moon size={17} /> : <Sun size={17} />}
    </Button>
  );
}

export function Notice({ tone = 'info', children }: { tone?: 'info' | 'error'; children: ReactNode }) {
  return (
    <div
      role={tone === 'error' ? 'alert' : undefined}
      className={`rounded-lg border px-3 py-2 ${tone === 'error' ? 'border-brick bg-brick-soft text-brick' : 'border-line bg-sunk text-ink'}`}
    >
      {children}
    </div>
  );
}

export function ProgressBar({ value, label }: { value: number; label: string }) {
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuenow={Math.round(100 * value)}
      aria-valuemin={0}
      aria-valuemax={100}
      className="h-2 overflow-hidden rounded-full bg-sunk"
    >
      <div
        className="h-full rounded-full bg-amber transition-[width]"
        style={{ width: `${Math.max(2, 100 * value)}%` }}
      />
    </div>
  );
}

/** A box to tick, with its words. */
export function Check({ checked, onChange, children }: { checked: boolean; onChange(): void; children: ReactNode }) {
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={checked}
        onChange={onChange}
        className="h-4.5 w-4.5 shrink-0 accent-[var(--amber)]"
      />
      {children}
    </label>
  );
}

/** A small button that shows a sign alone, such as one at the end of a line of a list; its name is told and shown on hovering. */
export function IconButton({ label, onClick, children }: { label: string; onClick(): void; children: ReactNode }) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      onClick={onClick}
      className="grid h-[28px] w-[28px] shrink-0 place-items-center rounded-lg border border-transparent bg-transparent text-ink hover:border-line"
    >
      {children}
    </button>
  );
}

/** One of a few, one line of a form. */
export function SelectRow<K extends string>({
  title,
  value,
  choices,
  onChange,
}: {
  title: string;
  value: K;
  choices: Readonly<Record<K, string>>;
  onChange(value: K): void;
}) {
  return (
    <label className="mt-1 grid grid-cols-[1fr_auto] items-center gap-2">
      {title}
      <select
        value={value}
        onChange={(e) => onChange(e.target.value as K)}
        className="rounded-lg border border-[var(--field)] bg-panel px-1 py-1"
      >
        {(Object.entries(choices) as [K, string][]).map(([k, words]) => (
          <option key={k} value={k}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
}

/** A line of text to fill in, its name above it. */
export function TextRow({
  title,
  help,
  ...rest
}: InputHTMLAttributes<HTMLInputElement> & { title: string; help?: string }) {
  const id = useId();
  return (
    <label className="flex flex-col gap-1">
      {title}
      <input
        {...rest}
        aria-describedby={help ? id : undefined}
        className="rounded-lg border border-[var(--field)] bg-panel px-3 py-1.5 text-ink"
      />
      {help && (
        <span id={id} className="text-muted">
          {help}
        </span>
      )}
    </label>
  );
}
