import { makeLog } from './log.js';
import { logRequests } from './request-log.js';
import express from 'express';
import request from 'supertest';

type Line = Record<string, unknown>;

function listen(env: NodeJS.ProcessEnv): { lines: Line[]; log: ReturnType<typeof makeLog> } {
  const lines: Line[] = [];
  return { lines, log: makeLog(env, { write: (line) => void lines.push(JSON.parse(line) as Line) }) };
}

function application(log: ReturnType<typeof makeLog>) {
  const app = express();
  app.use(logRequests(log));
  app.get('/api/shared/:token', (_, response) => {
    log.info({ step: 's1' }, 'step asked for');
    response.send('ok');
  });
  return app;
}

test('a request and what is done for it share an id, which is answered with', async () => {
  const { lines, log } = listen({ LOG: 'json' });
  const { headers } = await request(application(log)).get('/api/shared/very-secret?key=hidden').expect(200);
  expect(lines).toHaveLength(2);
  expect(lines[0]).toMatchObject({
    level: 'info',
    msg: 'step asked for',
    step: 's1',
    request: headers['x-request-id'],
  });
  expect(lines[1]).toMatchObject({ msg: 'answered', method: 'GET', route: '/api/shared/:token', status: 200 });
  expect(lines[1].request).toBe(headers['x-request-id']);
  expect(JSON.stringify(lines)).not.toMatch(/very-secret|hidden/);
});

test('an id of a proxy is kept, one that is no id is not', async () => {
  const { log } = listen({ LOG: 'json' });
  const asked = (id: string) => request(application(log)).get('/api/shared/x').set('X-Request-Id', id);
  expect((await asked('4bf92f3577b34da6')).headers['x-request-id']).toBe('4bf92f3577b34da6');
  expect((await asked('a b{"c":1}')).headers['x-request-id']).toMatch(/^[0-9a-f-]{36}$/);
});

test('an address that leads nowhere is no route of its own', async () => {
  const { lines, log } = listen({ LOG: 'json' });
  await request(application(log)).get('/wp-login.php').expect(404);
  expect(lines[0]).toMatchObject({ route: 'other', status: 404 });
});

test('without asking for lines only faults are told', async () => {
  const { lines, log } = listen({});
  await request(application(log)).get('/api/shared/x').expect(200);
  expect(lines).toEqual([]);
  log.error({ err: new Error('broken') }, 'A request failed.');
  expect(lines[0]).toMatchObject({ msg: 'A request failed.', err: { message: 'broken' } });
});
