// Copies of a piece in the database, rows alone: blobs are shared, so many pieces need no room.
const TABLES = ['piece', 'scan', 'piece_state', 'artifact', 'step'];
const UUID = /[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/g;

/** Makes so many copies of a piece with its scans, states, artifacts and steps, each with ids of its own. */
export async function copyPiece(db, pieceId, copies, nameOf) {
  const rows = {};
  for (const table of TABLES) {
    const key = table === 'piece' ? 'id' : 'piece_id';
    const found = await db.query(`SELECT to_json(t)::text AS row FROM ${table} t WHERE ${key} = $1`, [pieceId]);
    rows[table] = found.map((r) => r.row);
  }
  const own = new Set([pieceId, ...TABLES.flatMap((t) => rows[t].map((r) => JSON.parse(r).id))]);
  for (let k = 0; k < copies; k++) {
    const renamed = new Map();
    // What is known by id elsewhere, as who owns it, stays.
    const rename = (id) => {
      if (!own.has(id)) return id;
      if (!renamed.has(id)) renamed.set(id, crypto.randomUUID());
      return renamed.get(id);
    };
    await db.transaction(async (tx) => {
      for (const table of TABLES)
        for (const row of rows[table]) {
          const copy = JSON.parse(row.replace(UUID, rename));
          if (table === 'piece') copy.name = nameOf(k);
          if (table === 'step') {
            copy.upload_id = null;
            [{ number: copy.number }] = await tx.query(`SELECT nextval('step_number_seq') AS number`);
          }
          await tx.query(`INSERT INTO ${table} SELECT * FROM json_populate_record(NULL::${table}, $1)`, [
            JSON.stringify(copy),
          ]);
        }
    });
  }
  await db.query('ANALYZE');
}
