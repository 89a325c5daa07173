import 'reflect-metadata';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { parseArgs } from 'node:util';
import { HttpException } from '@nestjs/common';
import { ROLES, type Role } from '@amber-knit/contracts';
import { Person } from '../database/entities.js';
import { openDatabase } from '../database/data-source.js';
import { StepQueue } from '../steps/step-queue.js';
import { LONGEST_PASSWORD, SHORTEST_PASSWORD } from './passwords.js';
import { PeopleService } from './people.service.js';
import { SessionsService } from './sessions.service.js';

/** `./people`: accounts from the command line, for the first administrator and for whoever forgot the password. */
const USAGE = `Usage: ./people list
       ./people add NAME [--role ${ROLES.join('|')}]
       ./people password NAME`;

/** Ends with words for whoever called. */
class Refused extends Error {}

async function run(): Promise<void> {
  const { values, positionals } = parseArgs({ options: { role: { type: 'string' } }, allowPositionals: true });
  const [verb, name, ...more] = positionals;
  if (more.length > 0 || (verb === 'list') !== (name === undefined)) throw new Refused(USAGE);
  if (!process.env.DATABASE_URL) throw new Refused('DATABASE_URL is not set.');
  const role = (values.role ?? 'technician') as Role;
  if (!ROLES.includes(role)) throw new Refused(`There is no role ${role}. Roles: ${ROLES.join(', ')}.`);
  const db = await openDatabase(process.env.DATABASE_URL);
  try {
    const people = new PeopleService(db, new SessionsService(db), new StepQueue(db));
    if (verb === 'list') {
      for (const p of await people.list()) console.log(`${p.name}, ${p.role}${p.ended ? ', ended' : ''}`);
    } else if (verb === 'add') {
      await people.add(name, role, await password());
      console.log(`${name} may come in as ${role}.`);
    } else if (verb === 'password') {
      const person = (await db.manager.find(Person)).find((p) => p.name.toLowerCase() === name.toLowerCase());
      if (!person) throw new Refused(`Nobody goes by the name of ${name}.`);
      await people.setPassword(person.id, await password());
      console.log(`${person.name} has a new password, and is signed out everywhere.`);
    } else throw new Refused(USAGE);
  } finally {
    await db.destroy();
  }
}

/** One line from standard input, not shown as it is typed. */
async function password(): Promise<string> {
  if (process.stdin.isTTY) process.stdout.write('Password: ');
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const lines = createInterface({ input: process.stdin, output: silent, terminal: process.stdin.isTTY });
  const line = await new Promise<string>((resolve) => {
    lines.once('line', resolve);
    lines.once('close', () => resolve(''));
  });
  lines.close();
  if (process.stdin.isTTY) process.stdout.write('\n');
  if (line.length < SHORTEST_PASSWORD || line.length > LONGEST_PASSWORD)
    throw new Refused(`A password has ${SHORTEST_PASSWORD} to ${LONGEST_PASSWORD} characters. Nothing was changed.`);
  return line;
}

try {
  await run();
} catch (e) {
  console.error(e instanceof Refused || e instanceof HttpException ? e.message : e);
  process.exitCode = 1;
}
