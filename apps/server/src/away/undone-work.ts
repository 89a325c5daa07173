import type { EntityManager } from 'typeorm';

/**
 * What was undone and can be forgotten: states off the way to where a piece ($1) stands, the steps that made them, and what
 * these made and nothing else names, no shared view either. What came in, from a file or a capture, is never among it: raw data is not lost.
 */
const UNDONE = `WITH RECURSIVE line AS (
    SELECT s.id, s.parent_id, s.heads FROM piece_state s JOIN piece p ON p.state_id = s.id WHERE p.id = $1
    UNION ALL SELECT s.id, s.parent_id, s.heads FROM piece_state s JOIN line l ON s.id = l.parent_id),
  off AS (SELECT id, step_id FROM piece_state WHERE piece_id = $1 AND id NOT IN (SELECT id FROM line)),
  gone AS (SELECT s.id FROM step s WHERE s.id IN (SELECT step_id FROM off) AND s.source_sha256 IS NULL
    AND NOT EXISTS (SELECT 1 FROM capture c WHERE c.step_id = s.id)),
  named AS (
    SELECT e.value AS artifact FROM line l, jsonb_each_text(l.heads -> 'clouds') e
    UNION SELECT e.value FROM line l, jsonb_each_text(coalesce(l.heads -> 'frames', '{}')) e
    UNION SELECT e.value FROM line l, jsonb_each_text(l.heads - 'clouds' - 'labels' - 'frames') e
    UNION SELECT e.value FROM shared_view v, jsonb_each_text(v.heads) e WHERE v.piece_id = $1
    UNION SELECT unnest(v.files)::text FROM shared_view v WHERE v.piece_id = $1
    UNION SELECT c.original_id::text FROM scan c WHERE c.piece_id = $1
    UNION SELECT c.frames_id::text FROM scan c WHERE c.piece_id = $1 AND c.frames_id IS NOT NULL),
  made AS (SELECT a.id, a.blob_sha256 FROM artifact a WHERE a.piece_id = $1 AND a.step_id IN (SELECT id FROM gone)
    AND a.id::text NOT IN (SELECT artifact FROM named))`;

/** Bytes that forgetting what was undone would give back. */
export async function undoneBytes(pieceId: string, manager: EntityManager): Promise<number> {
  const [{ bytes }] = (await manager.query(
    `${UNDONE} SELECT coalesce(sum(b.bytes), 0) AS bytes FROM blob b WHERE b.sha256 IN (SELECT blob_sha256 FROM made)
       AND NOT EXISTS (SELECT 1 FROM artifact a WHERE a.blob_sha256 = b.sha256 AND a.id NOT IN (SELECT id FROM made))
       AND NOT EXISTS (SELECT 1 FROM step s WHERE s.source_sha256 = b.sha256)`,
    [pieceId],
  )) as { bytes: string }[];
  return Number(bytes);
}

/** Forgets what was undone. The piece stays locked by the caller until the transaction ends. */
export async function forgetUndone(pieceId: string, manager: EntityManager): Promise<void> {
  const [{ states, steps, artifacts }] = (await manager.query(
    `${UNDONE} SELECT (SELECT coalesce(array_agg(id), '{}') FROM off) AS states,
       (SELECT coalesce(array_agg(id), '{}') FROM gone) AS steps, (SELECT coalesce(array_agg(id), '{}') FROM made) AS artifacts`,
    [pieceId],
  )) as { states: string[]; steps: string[]; artifacts: string[] }[];
  await manager.query(`UPDATE piece SET redo = '{}' WHERE id = $1`, [pieceId]);
  await manager.query('DELETE FROM artifact WHERE id = ANY ($1)', [artifacts]);
  await manager.query('DELETE FROM step WHERE id = ANY ($1)', [steps]);
  await manager.query('DELETE FROM piece_state WHERE id = ANY ($1)', [states]);
  await manager.query(
    `UPDATE guided_run SET steps = ARRAY(SELECT s FROM unnest(steps) s WHERE s <> ALL ($2)) WHERE piece_id = $1`,
    [pieceId, steps],
  );
}
