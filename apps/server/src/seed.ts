import 'reflect-metadata';
import { cornerSurface, simulateJugScans } from '@amber-knit/demo';
import { readConfig } from './config.js';
import { openDatabase } from './database/data-source.js';
import { Piece } from './database/entities.js';
import { PieceStore } from './pieces/piece-store.js';
import { encodePicture, encodeScanCloud, encodeScanFrames, encodeSurface } from './storage/artifact-codec.js';
import { BlobStore } from './storage/blob-store.js';

/**
 * Makes the demo pieces if the database holds no piece yet: two setups of the galley jug, scans loose, and the corner of the
 * wheelhouse as a surface to put pieces in.
 */
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
  const corner = cornerSurface();
  const [surface, picture] = [await encodeSurface(corner), encodePicture(corner)!];
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
    const saved = async (e: typeof surface): Promise<string> =>
      (await store.saveArtifact(place.id, null, e, manager)).id;
    const heads = { clouds: {}, mesh: await saved(surface), picture: await saved(picture) };
    await store.advance(place.id, null, heads, manager);
  });
}
await db.destroy();
