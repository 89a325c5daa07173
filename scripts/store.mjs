// Everything that is stored, into one file and back: ./backup FILE, ./restore FILE. DATABASE_URL: of that PostgreSQL;
// else of DATA_DIR (.data), whether ./start runs there or not.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { isRunning, withDatabase } from './with-database.mjs';

const [verb, file, ...more] = process.argv.slice(2);

/** Ends with words for whoever called. */
class Refused extends Error {}

function tool(name) {
  const root = '/usr/lib/postgresql';
  const versions = existsSync(root) ? readdirSync(root).sort((a, b) => Number(b) - Number(a)) : [];
  const found = versions.map((v) => `${root}/${v}/bin/${name}`).find(existsSync);
  return found ?? name;
}

/** The connection as the environment that PostgreSQL's tools read: passwords stay out of the list of processes. */
function connection(url) {
  const { hostname, port, username, password, pathname } = new URL(url);
  return {
    ...process.env,
    PGHOST: hostname,
    PGPORT: port || '5432',
    PGUSER: decodeURIComponent(username),
    PGPASSWORD: decodeURIComponent(password),
    PGDATABASE: decodeURIComponent(pathname.slice(1)),
  };
}

function run(name, args, url, capture = false) {
  const r = spawnSync(tool(name), args, {
    env: connection(url),
    stdio: ['ignore', capture ? 'pipe' : 'inherit', 'pipe'],
    encoding: 'utf8',
  });
  if (r.error) throw new Refused(`${name} could not be run: ${r.error.message}. It comes with PostgreSQL's packages.`);
  if (r.status !== 0) throw new Refused(`${name} ended with ${r.status}: ${r.stderr.trim()}`);
  return r.stdout;
}

const ask = (sql, url) => run('psql', ['-qtAX', '-v', 'ON_ERROR_STOP=1', '-c', sql], url, true).trim();

function backup(url) {
  if (existsSync(file)) throw new Refused(`${file} is there already. Name another file, or take it away first.`);
  const part = `${file}.part`;
  rmSync(part, { force: true });
  try {
    // One moment of everything, whatever is being stored meanwhile. What is in it is packed already.
    run('pg_dump', ['--format=custom', '--compress=1', '--no-owner', '--no-privileges', `--file=${part}`], url);
    renameSync(part, file);
  } finally {
    rmSync(part, { force: true });
  }
  const pieces = ask('SELECT count(*) FROM piece', url);
  console.log(`${pieces} pieces kept in ${file}, ${(statSync(file).size / 1e6).toFixed(1)} MB.`);
}

function restore(url) {
  if (!existsSync(file)) throw new Refused(`There is no file ${file}.`);
  run('pg_restore', ['--list', file], url, true);
  if (!process.env.DATABASE_URL && isRunning()) throw new Refused('Amber Knit runs. Stop it first, with Ctrl-C.');
  const made = ask("SELECT to_regclass('piece') IS NOT NULL", url) === 't';
  const pieces = made ? Number(ask('SELECT count(*) FROM piece', url)) : 0;
  if (pieces > 0)
    throw new Refused(
      `There are ${pieces} pieces here already, and nothing is written over. Restore into an empty DATA_DIR.`,
    );
  // All of it or nothing.
  const options = [
    '--clean',
    '--if-exists',
    '--no-owner',
    '--no-privileges',
    '--single-transaction',
    '--exit-on-error',
  ];
  run('pg_restore', [...options, `--dbname=${connection(url).PGDATABASE}`, file], url);
  const check = fileURLToPath(new URL('../apps/server/dist/check/main.js', import.meta.url));
  const { status } = spawnSync(process.execPath, [check], {
    env: { ...process.env, DATABASE_URL: url },
    stdio: 'inherit',
  });
  console.log(`${ask('SELECT count(*) FROM piece', url)} pieces are back.`);
  if (status !== 0)
    throw new Refused('Something of what came back is wrong; see above. The file may have been damaged.');
}

try {
  if (!['backup', 'restore'].includes(verb) || !file || more.length > 0)
    throw new Refused('Usage: ./backup FILE, ./restore FILE');
  await withDatabase(verb === 'backup' ? backup : restore);
} catch (e) {
  console.error(e instanceof Refused ? e.message : e);
  process.exitCode = 1;
}
