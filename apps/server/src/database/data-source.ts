import { DataSource, type DataSourceOptions } from 'typeorm';
import { ENTITIES } from './entities.js';
import { MIGRATIONS } from './migrations.js';

/** Advisory lock of whoever brings the schema up to date: several parts start at once. */
const MIGRATING = 4_780_002;

export function dataSourceOptions(url: string): DataSourceOptions {
  return { type: 'postgres', url, entities: ENTITIES, migrations: MIGRATIONS, synchronize: false, extra: { max: 12 } };
}

/** The database was made by a version that knows more of it than this one. */
export class NewerSchemaError extends Error {}

/**
 * Brings the schema up to date, one process at a time.
 * @throws NewerSchemaError if a newer version has changed it: this one would spoil what it does not know
 */
export async function prepareSchema(url: string): Promise<void> {
  const db = await new DataSource({ ...dataSourceOptions(url), extra: { max: 2 } } as DataSourceOptions).initialize();
  const holder = db.createQueryRunner();
  try {
    await holder.query('SELECT pg_advisory_lock($1)', [MIGRATING]);
    const known = new Set(MIGRATIONS.map((m) => m.name));
    const made = (await holder.hasTable('migrations'))
      ? ((await holder.query('SELECT name FROM migrations')) as { name: string }[])
      : [];
    const unknown = made.filter((m) => !known.has(m.name)).map((m) => m.name);
    if (unknown.length > 0) {
      throw new NewerSchemaError(
        `This database was changed by a newer version of Amber Knit (${unknown.join(', ')}). Start that version, or name another database in DATABASE_URL. Nothing was changed.`,
      );
    }
    await db.runMigrations();
  } finally {
    await holder.query('SELECT pg_advisory_unlock($1)', [MIGRATING]).catch(() => undefined);
    await holder.release().catch(() => undefined);
    await db.destroy();
  }
}

/** Connects, after bringing the schema up to date. */
export async function openDatabase(url: string): Promise<DataSource> {
  await prepareSchema(url);
  return new DataSource(dataSourceOptions(url)).initialize();
}
