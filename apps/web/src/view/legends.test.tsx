import { render, screen } from '@testing-library/react';
import { ErrorLegend, ScanCountLegend } from './legends';

test('the legend of counts names every tint in words', () => {
  render(<ScanCountLegend />);
  expect(screen.getAllByRole('definition').map((d) => d.textContent)).toEqual([
    'by none',
    'by 1 scan',
    'by 2 scans',
    'by 3 scans',
    'by 4 scans',
    'by 5 scans or more',
  ]);
});

test('the legend of errors tells both ends with their unit', () => {
  render(<ErrorLegend range={[0.0081, 0.034]} />);
  expect(screen.getByLabelText('Legend').textContent).toMatch(/0\.0081.*0\.034 mm/);
});

test('of a surface that knows no errors it says what to do', () => {
  render(<ErrorLegend range={undefined} />);
  expect(screen.getByLabelText('Legend').textContent).toMatch(/Fuse anew/);
});
