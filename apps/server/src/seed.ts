import 'reflect-metadata';
import { changedFrame } from '@amber-knit/core/geometry';
import { writePly } from '@amber-knit/core/io';
import { cornerSurface, simulateJugScans } from '@amber-knit/demo';
import { findOperation, OPERATION_IDS } from '@amber-knit/operations';
import { readConfig } from './config.js';
import { openDatabase } from './database/data-source.js';
import { Piece, Step } from './database/entities.js';
import { PieceStore } from './pieces/piece-store.js';
import { encodeScanCloud, encodeScanFrames } from './storage/artifact-codec.js';
import { BlobStore } from './storage/blob-store.js';

/**
 * Makes the demo pieces if the database holds no piece yet: two setups of the galley jug, scans loose, and the corner of the
 * wheelhouse as a surface to put pieces in.
 */
const db = await openDatabase(readConfig().databaseUrl);
if ((await db.manager.count(Piece)) === 0) {
  console.log('Scanning the demo piece (simulated, about half a minute) …');
  // As captures that have ended: their frames agree.
  const scans = simulateJugScans().scans.map(({ scan, setup }) => ({
    scan: { ...scan, frames: scan.frames!.map((f) => changedFrame(f, { drift: 0 })) },
    setup,
  }));
  const blobs = new BlobStore(db);
  const store = new PieceStore(db, blobs);
  const encoded = scans.map(({ scan, setup }) => ({
    name: scan.name,
    setup,
    cloud: encodeScanCloud(scan),
    frames: encodeScanFrames(scan),
    frameCount: scan.frames.length,
  }));
  const bringIn = findOperation(OPERATION_IDS.mendBringIn);
  await db.transaction(async (manager) => {
    const piece = await manager.save(
      manager.create(Piece, {
        name: 'Galley jug',
        note: 'Glazed stoneware from the ferry’s galley, for print and archive',
      }),
    );
    await store.addScans(piece.id, null, encoded, manager);
    const place = await manager.save(
      manager.create(Piece, {
        name: 'Wheelhouse corner',
        note: 'Where the ferry’s wheel hangs: a place to put other pieces in',
      }),
    );
    // The worker brings it in as soon as it runs, as a file that a person had sent.
    await manager.save(
      manager.create(Step, {
        pieceId: place.id,
        operationId: bringIn.id,
        operationVersion: bringIn.version,
        params: { unit: 'mm', expected: 0 },
        seed: 1,
        status: 'queued',
        sourceSha256: await blobs.put(writePly(cornerSurface()), manager),
        sourceName: 'wheelhouse corner.ply',
      }),
    );
  });
}
await db.destroy();
