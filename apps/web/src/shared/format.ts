/** 471378 → 471k, 1420000 → 1.42M. */
export function shortCount(n: number): string {
  if (n >= 1e6) return `${(n / 1e6).toFixed(2)}M`;
  if (n >= 1000) return `${Math.round(n / 1000)}k`;
  return String(n);
}

/** Millimetres with as many decimals as such a length deserves. */
export function mm(v: number): string {
  const digits = Math.abs(v) >= 100 ? 1 : Math.abs(v) >= 1 ? 2 : 3;
  return `${v.toFixed(digits)} mm`;
}

export function seconds(ms: number): string {
  const s = ms / 1000;
  return s < 60 ? `${s.toFixed(1)} s` : `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`;
}

/** camelCase figure names as words: rmsWorst → rms worst. */
export function words(name: string): string {
  return name.replace(/([A-Z])/g, (c) => ` ${c.toLowerCase()}`);
}

export function figureText(v: number | string | boolean): string {
  if (typeof v === 'boolean') return v ? 'yes' : 'no';
  if (typeof v === 'number') return Number.isInteger(v) ? v.toLocaleString('en-US') : v.toPrecision(4);
  return v || '–';
}
