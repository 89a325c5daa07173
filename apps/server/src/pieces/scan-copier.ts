import type { EntityManager } from 'typeorm';
import { hasPlace, type Placement } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { Artifact, Piece, ScanRow, type Heads } from '../database/entities.js';
import { cutOnto, decodePlacements, encodePlacements, placementsRekeyed } from '../storage/artifact-codec.js';
import type { BlobStore } from '../storage/blob-store.js';
import { freeName } from './free-name.js';
import type { PieceStore } from './piece-store.js';
import { namesById, scansIn, withLabels, type LabelledScan } from './scan-labels.js';

/**
 * Copies scans with all that belongs to them (points as they are now and as they came in, frames, setup, colour, note) to
 * another piece, or doubles them in their own. Nothing is written anew but where a cut names the cloud that it is cut from.
 * They come with their places if those mean something there: in their own piece, or where nothing has a place yet.
 */
export class ScanCopier {
  constructor(
    private readonly blobs: BlobStore,
    private readonly store: PieceStore,
  ) {}

  /** @throws GeometryError `invalid-parameter` for scans that are not there */
  async copy(from: string, scanIds: readonly string[], to: string, manager: EntityManager): Promise<void> {
    const source = await this.standing(from, manager);
    const target = await this.standing(to, manager);
    const scans = source.scans.filter((s) => scanIds.includes(s.id));
    if (scans.length < new Set(scanIds).size)
      throw new GeometryError('invalid-parameter', 'One of the scans is no longer there. Choose again.');
    const keepsPlaces = from === to || !target.placements.some(hasPlace);
    const taken = new Set(target.scans.map((s) => s.name));
    const placements = target.placements.slice();
    let heads: Heads = { ...target.heads, clouds: { ...target.heads.clouds } };
    let colorIndex = (await manager.countBy(ScanRow, { pieceId: to })) - 1;
    for (const scan of scans) {
      const name = freeName(scan.name, taken);
      taken.add(name);
      const copies = new ArtifactCopies(to, this.blobs, manager);
      const cloud = await copies.cloud(source.heads.clouds[scan.id]);
      const row = await manager.save(
        manager.create(ScanRow, {
          pieceId: to,
          name,
          setup: scan.setup,
          colorIndex: from === to ? ++colorIndex : scan.colorIndex,
          frames: scan.frames,
          originalId: await copies.cloud(scan.originalId),
          framesId: scan.framesId && (await copies.same(scan.framesId)),
        }),
      );
      heads.clouds[row.id] = cloud;
      if (scan.note) heads = withLabels(heads, [row.id], { note: scan.note });
      const place = source.placements.find((p) => p.name === scan.name);
      if (keepsPlaces && place && hasPlace(place))
        placements.push({ name: row.id, state: 'placed', pieceFromScan: place.pieceFromScan });
    }
    if (placements.length > target.placements.length) {
      // By the scans' ids, as all placements are kept.
      const ids = new Map(target.scans.map((s) => [s.name, s.id]));
      const encoded = placementsRekeyed(encodePlacements(placements).bytes, ids);
      heads.placements = (await this.store.saveArtifact(to, null, encoded, manager)).id;
    }
    await this.store.advance(to, null, heads, manager);
  }

  private async standing(
    pieceId: string,
    manager: EntityManager,
  ): Promise<{ heads: Heads; scans: LabelledScan[]; placements: Placement[] }> {
    const heads = await this.store.heads(await manager.findOneByOrFail(Piece, { id: pieceId }), manager);
    const scans = scansIn(heads, await manager.find(ScanRow, { where: { pieceId }, order: { colorIndex: 'ASC' } }));
    if (!heads.placements) return { heads, scans, placements: [] };
    const { blobSha256 } = await manager.findOneByOrFail(Artifact, { id: heads.placements });
    const { bytes } = placementsRekeyed(await this.blobs.get(blobSha256), namesById(scans));
    return { heads, scans, placements: decodePlacements(bytes) };
  }
}

/** Artifacts of another piece that name the same bytes; each is copied once. */
class ArtifactCopies {
  private readonly made = new Map<string, string>();

  constructor(
    private readonly pieceId: string,
    private readonly blobs: BlobStore,
    private readonly manager: EntityManager,
  ) {}

  /** @returns the id of an artifact with the same content */
  async same(id: string): Promise<string> {
    const known = this.made.get(id);
    if (known) return known;
    const { kind, blobSha256, facts } = await this.manager.findOneByOrFail(Artifact, { id });
    return this.save(id, { kind, blobSha256, facts });
  }

  /** The same for a cloud, which may be a cut of another one: that comes along. */
  async cloud(id: string): Promise<string> {
    const known = this.made.get(id);
    const artifact = await this.manager.findOneByOrFail(Artifact, { id });
    const { kind, blobSha256, facts } = artifact;
    if (known || typeof facts.base !== 'string') return known ?? this.save(id, { kind, blobSha256, facts });
    const base = await this.same(facts.base);
    const uncut = await this.manager.findOneByOrFail(Artifact, { id: base });
    const [bytes, whole] = await Promise.all([blobSha256, uncut.blobSha256].map((b) => this.blobs.get(b)));
    const moved = cutOnto(base, bytes, whole);
    return this.save(id, {
      kind,
      blobSha256: await this.blobs.put(moved, this.manager),
      facts: { ...facts, base, bytes: moved.length },
    });
  }

  private async save(id: string, as: Pick<Artifact, 'kind' | 'blobSha256' | 'facts'>): Promise<string> {
    const copy = await this.manager.save(this.manager.create(Artifact, { pieceId: this.pieceId, stepId: null, ...as }));
    this.made.set(id, copy.id);
    return copy.id;
  }
}
