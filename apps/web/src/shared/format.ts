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

const SHORT_NAMES: Record<string, string> = { rms: 'RMS', worstRms: 'worst RMS', deviationRms: 'deviation RMS' };

/** camelCase figure names as words: repairedTriangles → repaired triangles. */
export function words(name: string): string {
  return SHORT_NAMES[name] ?? name.replace(/([A-Z])/g, (c) => ` ${c.toLowerCase()}`).replace(/(\d+)$/, ' $1 %');
}

const LENGTHS =
  /^(rms|worstRms|voxel|width|depth|height|deviationRms|deviationMax|spacing|pictureStep|refinedBy|residual|noise)$/;
const SHARES = /Ratio$|^coverage$/;

/** A figure with its unit, which follows from its name: lengths in mm, area in cm², volume in cm³, shares in %. */
export function figureText(name: string, v: number | string | boolean | number[]): string {
  if (Array.isArray(v)) return v.length > 0 ? `${v.length} values, last ${v[v.length - 1]}` : '–';
  if (typeof v === 'boolean') return v ? 'yes' : 'no';
  if (typeof v !== 'number') return v || '–';
  if (LENGTHS.test(name)) return mm(v);
  if (SHARES.test(name)) return `${(100 * v).toFixed(1)} %`;
  if (name === 'area') return `${(v / 100).toFixed(1)} cm²`;
  if (name === 'volume') return `${(v / 1000).toFixed(1)} cm³`;
  return Number.isInteger(v) ? v.toLocaleString('en-US') : v.toPrecision(4);
}
