import { createHash } from 'node:crypto';
import type { DataSource } from 'typeorm';
import type { Housekeeping } from '../housekeeping/housekeeping.js';
import type { StepQueue } from '../steps/step-queue.js';
import { OWNERLESS, type BlobStore } from '../storage/blob-store.js';

/** Something that must not be, with what mends it where that is safe. */
export interface Violation {
  rule: string;
  what: string;
  /** What was done about it. */
  mended?: string;
}

/** A running step whose worker says nothing for so long should have been taken up. */
const SILENT_SECONDS = 30;

/** What is looked at, and mends itself. */
export interface Stores {
  db: DataSource;
  blobs: BlobStore;
  queue: StepQueue;
  housekeeping: Housekeeping;
}

interface Rule {
  name: string;
  /** Rows, each with a text `what`. */
  sql: string;
  /** Says in words what it did; runs once, after all rows were told. */
  repair?: { mend: (stores: Stores) => Promise<unknown>; did: string };
}

/** What must hold of the rows whenever nobody is in the middle of a transaction. */
const RULES: readonly Rule[] = [
  {
    name: 'every artifact has its bytes',
    sql: `SELECT 'artifact ' || a.id || ' names blob ' || a.blob_sha256 AS what FROM artifact a
          WHERE NOT EXISTS (SELECT 1 FROM blob b WHERE b.sha256 = a.blob_sha256)`,
  },
  {
    name: 'every step has the file that it began with',
    sql: `SELECT 'step ' || s.id || ' names blob ' || s.source_sha256 AS what FROM step s
          WHERE s.source_sha256 IS NOT NULL AND NOT EXISTS (SELECT 1 FROM blob b WHERE b.sha256 = s.source_sha256)`,
  },
  {
    name: 'no blob without owner',
    sql: `SELECT 'blob ' || b.sha256 || ', ' || b.bytes || ' bytes' AS what FROM blob b WHERE ${OWNERLESS}`,
    repair: { mend: ({ blobs }) => blobs.sweep(), did: 'removed' },
  },
  {
    name: 'steps are in a lawful state',
    sql: `SELECT 'step ' || id || ' is ' || status AS what FROM step
          WHERE status NOT IN ('queued', 'running', 'done', 'failed', 'cancelled')
             OR (status = 'queued' AND (worker IS NOT NULL OR finished_at IS NOT NULL))
             OR (status = 'running' AND (worker IS NULL OR heartbeat IS NULL OR finished_at IS NOT NULL))
             OR (status IN ('done', 'failed', 'cancelled') AND finished_at IS NULL)
             OR (status = 'failed' AND coalesce(error, '') = '')
             OR (status = 'done' AND summary IS NULL)`,
  },
  {
    name: 'no step runs without a worker',
    sql: `SELECT 'step ' || id || ' is silent since ' || heartbeat AS what FROM step
          WHERE status = 'running' AND heartbeat < now() - interval '${SILENT_SECONDS} seconds'`,
    repair: {
      mend: ({ queue }) => queue.recoverLost(SILENT_SECONDS),
      did: 'queued again',
    },
  },
  {
    name: 'one step of a piece at a time',
    sql: `SELECT 'piece ' || piece_id || ' has ' || count(*) || ' running steps' AS what FROM step
          WHERE status = 'running' GROUP BY piece_id HAVING count(*) > 1`,
  },
  {
    name: 'only finished steps have results, and they have those that they name',
    sql: `SELECT 'step ' || s.id || ', ' || s.status || ', artifact ' || a.id AS what FROM artifact a JOIN step s ON s.id = a.step_id
          WHERE s.status <> 'done' OR NOT (a.id = ANY (s.outputs) OR a.facts ->> 'mediaType' = 'image/png')
          UNION ALL
          SELECT 'step ' || s.id || ' names artifact ' || o AS what FROM step s, unnest(s.outputs) o
          WHERE NOT EXISTS (SELECT 1 FROM artifact a WHERE a.id = o)`,
  },
  {
    name: 'a step changes its piece once',
    sql: `SELECT 'step ' || step_id || ' made ' || count(*) || ' states' AS what FROM piece_state
          WHERE step_id IS NOT NULL GROUP BY step_id HAVING count(*) > 1
          UNION ALL
          SELECT 'state ' || p.id || ' of step ' || s.id || ', ' || s.status FROM piece_state p JOIN step s ON s.id = p.step_id
          WHERE s.status <> 'done'`,
  },
  {
    name: 'an upload and a capture make one step each',
    sql: `SELECT 'upload ' || upload_id AS what FROM step WHERE upload_id IS NOT NULL GROUP BY upload_id HAVING count(*) > 1
          UNION ALL
          SELECT 'capture ' || c.id || ' is ' || c.status FROM capture c
          WHERE (c.status = 'finished') <> (c.step_id IS NOT NULL)
             OR (c.step_id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM step s WHERE s.id = c.step_id))`,
  },
  {
    name: 'a piece stands in a state of its own, and so do those before and after it',
    sql: `SELECT 'piece ' || p.id AS what FROM piece p
          WHERE p.state_id IS NULL OR NOT EXISTS (SELECT 1 FROM piece_state s WHERE s.id = p.state_id AND s.piece_id = p.id)
          UNION ALL
          SELECT 'piece ' || p.id || ', undone state ' || r FROM piece p, unnest(p.redo) r
          WHERE NOT EXISTS (SELECT 1 FROM piece_state s WHERE s.id = r AND s.piece_id = p.id)
          UNION ALL
          SELECT 'state ' || s.id FROM piece_state s
          WHERE s.parent_id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM piece_state q WHERE q.id = s.parent_id AND q.piece_id = s.piece_id)`,
  },
  {
    name: 'heads name scans and artifacts of their piece',
    sql: `WITH named AS (
            SELECT s.id, s.piece_id, e.value AS artifact FROM piece_state s, jsonb_each_text(s.heads -> 'clouds') e
            UNION ALL
            SELECT s.id, s.piece_id, e.value FROM piece_state s, jsonb_each_text(coalesce(s.heads -> 'frames', '{}')) e
            UNION ALL
            SELECT s.id, s.piece_id, s.heads ->> slot FROM piece_state s, unnest(ARRAY['placements', 'mesh', 'model', 'light', 'dimensions', 'trust', 'deviation', 'surroundings', 'placings', 'picture']) slot
            WHERE s.heads ? slot)
          SELECT 'state ' || n.id || ' names artifact ' || n.artifact AS what FROM named n
          WHERE NOT EXISTS (SELECT 1 FROM artifact a WHERE a.id::text = n.artifact AND a.piece_id = n.piece_id)
          UNION ALL
          SELECT 'state ' || s.id || ' names scan ' || e.key FROM piece_state s, jsonb_each_text(s.heads -> 'clouds') e
          WHERE NOT EXISTS (SELECT 1 FROM scan c WHERE c.id::text = e.key AND c.piece_id = s.piece_id)
          UNION ALL
          SELECT 'scan ' || c.id FROM scan c
          WHERE NOT EXISTS (SELECT 1 FROM artifact a WHERE a.id = c.original_id AND a.piece_id = c.piece_id)
             OR (c.frames_id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM artifact a WHERE a.id = c.frames_id))`,
  },
];

/**
 * Looks for what must not be: in the rows, in the bytes of every blob against their hash, among temporary files.
 * @param repair mend what can be mended without losing anything
 */
export async function findViolations(stores: Stores, repair = false): Promise<Violation[]> {
  const { db, blobs, housekeeping } = stores;
  const found: Violation[] = [];
  for (const rule of RULES) {
    const look = async (): Promise<string[]> =>
      ((await db.query(rule.sql)) as { what: string }[]).map((row) => row.what);
    const wrong = await look();
    if (wrong.length === 0) continue;
    if (repair) await rule.repair?.mend(stores);
    const left = new Set(repair && rule.repair ? await look() : wrong);
    for (const what of wrong)
      found.push({ rule: rule.name, what, ...(left.has(what) ? {} : { mended: rule.repair?.did }) });
  }
  for (const { sha256, bytes } of (await db.query('SELECT sha256, bytes FROM blob ORDER BY sha256')) as {
    sha256: string;
    bytes: string;
  }[]) {
    const fault = await faultOfBlob(blobs, sha256, Number(bytes));
    if (fault) found.push({ rule: 'every blob is whole', what: `blob ${sha256} ${fault}` });
  }
  const stale = await housekeeping.staleFiles();
  if (stale.length > 0 && repair) await housekeeping.clear();
  for (const file of stale) {
    const what = file.split('/').slice(-2).join('/');
    found.push({ rule: 'no temporary file older than a day', what, ...(repair ? { mended: 'removed' } : {}) });
  }
  return found;
}

async function faultOfBlob(blobs: BlobStore, sha256: string, size: number): Promise<string | undefined> {
  const hash = createHash('sha256');
  let length = 0;
  for await (const chunk of blobs.chunks(sha256)) {
    hash.update(chunk);
    length += chunk.length;
  }
  if (length !== size) return `has ${length} of ${size} bytes`;
  return hash.digest('hex') === sha256 ? undefined : 'holds other bytes than its name says';
}
