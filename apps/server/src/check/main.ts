import 'reflect-metadata';
import { readConfig } from '../config.js';
import { openDatabase } from '../database/data-source.js';
import { Housekeeping } from '../housekeeping/housekeeping.js';
import { StepQueue } from '../steps/step-queue.js';
import { BlobStore } from '../storage/blob-store.js';
import { findViolations } from './invariants.js';

/** `amberknit check [--repair]`: prints what is wrong with what is stored. Exit code 1 if something is and stays so. */
const config = readConfig();
const repair = process.argv.includes('--repair');
const db = await openDatabase(config.databaseUrl);
const blobs = new BlobStore(db);
const housekeeping = new Housekeeping(db, blobs, config.uploadDir);
const found = await findViolations({ db, blobs, queue: new StepQueue(db), housekeeping }, repair);
for (const { rule, what, mended } of found) console.log(`${mended ? `mended (${mended})` : 'WRONG'}: ${rule}: ${what}`);
const left = found.filter((v) => !v.mended).length;
const mended = found.length - left;
console.log(
  left > 0
    ? `${left} wrong, ${mended} mended.`
    : mended > 0
      ? `${mended} mended, nothing wrong left.`
      : 'Nothing is wrong.',
);
await db.destroy();
process.exitCode = left > 0 ? 1 : 0;
