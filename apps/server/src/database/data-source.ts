import { DataSource, type DataSourceOptions } from 'typeorm';
import { ENTITIES } from './entities.js';
import { MIGRATIONS } from './migrations.js';

export function dataSourceOptions(url: string): DataSourceOptions {
  return {
    type: 'postgres',
    url,
    entities: ENTITIES,
    migrations: MIGRATIONS,
    migrationsRun: true,
    synchronize: false,
    extra: { max: 12 },
  };
}

/** Connects and brings the schema up to date. */
export async function openDatabase(url: string): Promise<DataSource> {
  return new DataSource(dataSourceOptions(url)).initialize();
}
