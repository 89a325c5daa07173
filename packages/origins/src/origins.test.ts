import { foreignRequest } from './index.js';

const own = { host: '127.0.0.1:4780' };

test('programs and our own pages pass', () => {
  expect(foreignRequest(own, [], true)).toBeUndefined();
  expect(foreignRequest({ ...own, origin: 'http://127.0.0.1:4780' }, [], true)).toBeUndefined();
  expect(foreignRequest({ ...own, 'sec-fetch-site': 'same-origin' }, [], true)).toBeUndefined();
  for (const host of ['localhost:4780', '[::1]:4780', '192.168.4.2', 'LOCALHOST'])
    expect([host, foreignRequest({ host }, [], true)]).toEqual([host, undefined]);
  expect(foreignRequest({ host: 'Bench.Workshop:80' }, ['bench.workshop'], true)).toBeUndefined();
});

test('names that were made to point here are refused', () => {
  for (const host of [undefined, '', 'evil.example', 'localhost.evil.example', 'x@127.0.0.1', '127.0.0.1/..', 'a b'])
    expect([host, foreignRequest({ host }, ['bench.workshop'], false)]).toEqual([host, 'host']);
});

test('pages of others may lead here but not change or read anything', () => {
  for (const origin of ['null', 'http://evil.example', 'http://127.0.0.1:9999', 'not an origin', 'file://', '']) {
    expect([origin, foreignRequest({ ...own, origin }, [], true)]).toEqual([origin, 'origin']);
  }
  const led = { ...own, 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'navigate' };
  expect(foreignRequest(led, [], false)).toBeUndefined();
  expect(foreignRequest(led, [], true)).toBe('origin');
  for (const site of ['cross-site', 'same-site'])
    expect(foreignRequest({ ...own, 'sec-fetch-site': site, 'sec-fetch-mode': 'no-cors' }, [], false)).toBe('origin');
});
