import 'reflect-metadata';
import { simulateJugScans } from '@amber-knit/demo';
import { readConfig } from './config.js';
import { openDatabase } from './database/data-source.js';
import { Piece } from './database/entities.js';
import { PieceStore } from './pieces/piece-store.js';
import { encodeScanCloud, encodeScanFrames } from './storage/artifact-codec.js';
import { BlobStore } from './storage/blob-store.js';

/** Makes the demo piece if the database holds no piece yet: two setups of the galley jug, scans loose. */
const db = await openDatabase(readConfig().databaseUrl);
if ((await db.manager.count(Piece)) === 0) {
  console.log('Scanning the demo piece (simulated, about half a minute) …');
  const { scans } = simulateJugScans();
  const store = new PieceStore(db, new BlobStore(db));
  const encoded = scans.map(({ scan, setup }) => ({
    name: scan.name,
    setup,
    cloud: encodeScanCloud(scan),
    frames: encodeScanFrames(scan),
    frameCount: scan.frames!.length,
  }));
  await db.transaction(async (manager) => {
    const piece = await manager.save(
      manager.create(Piece, {
        name: 'Galley jug',
        note: 'Glazed stoneware from the ferry’s galley, for print and archive',
      }),
    );
    await store.addScans(piece.id, null, encoded, manager);
  });
}
await db.destroy();
