import { DataSource } from 'typeorm';
import { Harness } from '../../test/harness.js';
import { dataSourceOptions, NewerSchemaError, openDatabase, prepareSchema } from './data-source.js';
import { MIGRATIONS } from './migrations.js';

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
