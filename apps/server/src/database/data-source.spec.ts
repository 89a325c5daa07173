import { DataSource } from 'typeorm';
import { Harness } from '../../test/harness.js';
import { dataSourceOptions, NewerSchemaError, openDatabase, prepareSchema } from './data-source.js';
import { Step } from './entities.js';
import { MIGRATIONS } from './migrations.js';

const PIECE = '00000000-0000-4000-8000-000000000001';

test('several processes at once bring a new database up to date, once', async () => {
  const url = await Harness.newDatabase('amberknit_schema');
  const opened = await Promise.all([1, 2, 3].map(() => openDatabase(url)));
  const rows = (await opened[0].query('SELECT name FROM migrations ORDER BY id')) as { name: string }[];
  expect(rows.map((r) => r.name)).toEqual(MIGRATIONS.map((m) => m.name));
  await Promise.all(opened.map((db) => db.destroy()));
});

test('a database that a newer version has changed is told, not run on', async () => {
  const url = await Harness.newDatabase('amberknit_newer');
  await prepareSchema(url);
  const db = await new DataSource(dataSourceOptions(url)).initialize();
  await db.query(`INSERT INTO migrations (timestamp, name) VALUES (9999999999999, 'FromTheFuture9999999999999')`);
  await expect(prepareSchema(url)).rejects.toThrow(NewerSchemaError);
  await expect(openDatabase(url)).rejects.toThrow(/newer version .*FromTheFuture/);
  await db.destroy();
});

test('steps of a database from before they had numbers get them in the order they were asked for', async () => {
  const db = await openDatabase(await Harness.newDatabase('amberknit_unnumbered'));
  // Back to before the migration that numbers them, whatever came after it.
  const numbering = MIGRATIONS.findIndex((m) => m.name.startsWith('StepsNumbered'));
  for (let i = MIGRATIONS.length; i > numbering; i--) await db.undoLastMigration();
  await db.query(`INSERT INTO piece (id, name) VALUES ('${PIECE}', 'Old')`);
  for (const [when, operation] of [
    ['2026-03-02', 'second'],
    ['2026-03-03', 'third'],
    ['2026-03-01', 'first'],
  ]) {
    await db.query(
      `INSERT INTO step (piece_id, operation_id, operation_version, params, seed, status, created_at)
       VALUES ($1, $2, 1, '{}', 1, 'done', $3)`,
      [PIECE, operation, when],
    );
  }
  await db.runMigrations();
  await db.manager.save(
    db.manager.create(Step, {
      pieceId: PIECE,
      operationId: 'new',
      operationVersion: 1,
      params: {},
      seed: 1,
      status: 'done',
    }),
  );
  const steps = await db.manager.find(Step, { order: { number: 'ASC' } });
  expect(steps.map((s) => s.operationId)).toEqual(['first', 'second', 'third', 'new']);
  await db.destroy();
});
