import type { ScanView } from '@amber-knit/contracts';
import { chartHeight, layoutRows, middleOf } from './chart-layout';

const scan = (name: string, setup: string): ScanView => ({ name, setup }) as ScanView;

test('scans stand under their setup, in order, setups apart', () => {
  const rows = layoutRows({
    setups: ['Upright', 'Upside down'],
    scanList: [scan('a', 'Upright'), scan('c', 'Upside down'), scan('b', 'Upright')],
  });
  expect(rows.map((r) => r.scan.name)).toEqual(['a', 'b', 'c']);
  expect(rows.map((r) => r.heading)).toEqual(['Upright', undefined, 'Upside down']);
  expect(rows[2].y - rows[1].y).toBeGreaterThan(rows[1].y - rows[0].y);
  expect(middleOf(rows)).toBe((rows[0].y + rows[2].y) / 2);
});

test('the chart grows with its rows and has a least height', () => {
  expect(chartHeight([])).toBe(300);
  const many = layoutRows({ setups: ['s'], scanList: Array.from({ length: 40 }, (_, i) => scan(`${i}`, 's')) });
  expect(chartHeight(many)).toBeGreaterThan(many[39].y);
});
