import { act, render } from '@testing-library/react';
import type { KeyboardEvent, PointerEvent } from 'react';
import { useViewInput, ViewInputs, type ViewInput } from './view-overlay';

/** Tools are driven without a browser's view: by what the view would tell them. */
function Tool({ inputs, input }: { inputs: ViewInputs; input: ViewInput }) {
  useViewInput(inputs, input);
  return null;
}
const key = (name: string) => ({ key: name }) as KeyboardEvent;
const at = (x: number, y: number) => ({ clientX: x, clientY: y }) as PointerEvent;

test('every tool hears the pointer; a key goes to the first that takes it; what is gone hears nothing', () => {
  const inputs = new ViewInputs();
  const heard: string[] = [];
  const first: ViewInput = {
    onPointerDown: (e) => void heard.push(`first ${e.clientX}`),
    onKey: (e) => e.key === 'Enter' && heard.push('first enter') > 0,
    cancel: () => void heard.push('first cancel'),
  };
  const second: ViewInput = {
    onPointerDown: (e) => void heard.push(`second ${e.clientX}`),
    onKey: () => heard.push('second key') > 0,
  };
  const { rerender, unmount } = render(
    <>
      <Tool inputs={inputs} input={first} />
      <Tool inputs={inputs} input={second} />
    </>,
  );
  inputs.tell('onPointerDown', at(3, 4));
  expect(inputs.key(key('Enter'))).toBe(true);
  expect(inputs.key(key('x'))).toBe(true);
  inputs.cancel();
  expect(heard.splice(0)).toEqual(['first 3', 'second 3', 'first enter', 'second key', 'first cancel']);
  // What a tool does may change from picture to picture.
  act(() => rerender(<Tool inputs={inputs} input={{ onKey: () => false }} />));
  expect(inputs.key(key('Enter'))).toBe(false);
  unmount();
  inputs.tell('onPointerDown', at(1, 1));
  expect(heard).toEqual([]);
});
