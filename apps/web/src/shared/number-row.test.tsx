import { render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { useState } from 'react';
import { NumberRow } from './number-row';

function Form({ onTaken }: { onTaken(v: number): void }) {
  const [value, setValue] = useState(0.2);
  return (
    <NumberRow
      title="Tolerance"
      unit="mm"
      min={0.1}
      max={10}
      step={0.1}
      value={value}
      onChange={(v) => {
        setValue(v);
        onTaken(v);
      }}
    />
  );
}

test('a field can be emptied and typed anew; what is out of range is brought into it when one leaves', async () => {
  const taken: number[] = [];
  render(<Form onTaken={(v) => taken.push(v)} />);
  const field = screen.getByRole<HTMLInputElement>('spinbutton');
  await userEvent.clear(field);
  expect(field.value).toBe('');
  expect(taken).toEqual([]);
  await userEvent.type(field, '0.5');
  expect(taken[taken.length - 1]).toBe(0.5);
  await userEvent.clear(field);
  await userEvent.type(field, '99');
  expect(field.value).toBe('99');
  await userEvent.tab();
  expect(field.value).toBe('10');
  expect(taken[taken.length - 1]).toBe(10);
});
