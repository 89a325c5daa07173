import type { ComponentType } from 'react';

export type ToolChoice<T extends string> = readonly [
  id: T,
  name: string,
  help: string,
  icon: ComponentType<{ size: number; 'aria-hidden'?: boolean }>,
];

/** Tools side by side, one or none in hand. */
export function ToolGrid<T extends string>({
  tools,
  tool,
  columns,
  disabled,
  onChoose,
}: {
  tools: readonly ToolChoice<T>[];
  tool: T | null;
  columns: 4 | 5;
  disabled: boolean;
  onChoose(tool: T): void;
}) {
  return (
    <div role="group" aria-label="Tools" className={`grid gap-1 ${columns === 5 ? 'grid-cols-5' : 'grid-cols-4'}`}>
      {tools.map(([id, name, help, Icon]) => (
        <button
          key={id}
          type="button"
          aria-pressed={tool === id}
          title={help}
          disabled={disabled}
          onClick={() => onChoose(id)}
          className={`flex min-h-13 flex-col items-center justify-center gap-0.5 rounded-lg border px-0.5 py-1 text-xs disabled:opacity-50 ${
            tool === id ? 'border-teal bg-teal-soft' : 'border-line bg-panel hover:bg-sunk'
          }`}
        >
          <Icon size={17} aria-hidden />
          {name}
        </button>
      ))}
    </div>
  );
}
