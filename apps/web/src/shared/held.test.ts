import { held } from './held';

test('the same is made once, another anew, and what failed is tried again', async () => {
  const made: string[] = [];
  let works = true;
  const of = held((...key: string[]) => {
    made.push(key.join('+'));
    return works ? Promise.resolve(key.length) : Promise.reject(new Error('away'));
  });
  expect([await of('a', 'b'), await of('a', 'b'), await of('c')]).toEqual([2, 2, 1]);
  works = false;
  await expect(of('d')).rejects.toThrow('away');
  works = true;
  expect(await of('d')).toBe(1);
  expect(made).toEqual(['a+b', 'c', 'd', 'd']);
});
