import { randomUUID } from 'node:crypto';
import type { DataSource, EntityManager } from 'typeorm';
import { GeometryError } from '@amber-knit/core/runtime';
import type { ThreadResult } from '../worker/thread.js';
import { Artifact, Piece, PieceState, ScanRow, type Heads, type ScanLabel } from '../database/entities.js';
import { placementsRekeyed, type EncodedArtifact, type EncodedCloud } from '../storage/artifact-codec.js';
import type { BlobStore } from '../storage/blob-store.js';
import { lockPiece, lockSettledPiece } from './piece-lock.js';
import { freeName } from './free-name.js';
import { idsByName, scansIn, withLabels } from './scan-labels.js';

/** A new scan with its encoded data. */
export interface NewScan {
  id?: string;
  name: string;
  setup: string;
  cloud: EncodedCloud;
  frames?: EncodedArtifact;
  frameCount: number;
}

/** Reads and advances a piece's state. Every change makes a new state; undo and redo only move between states. */
export class PieceStore {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
  ) {}

  async heads(piece: Piece, manager: EntityManager = this.db.manager): Promise<Heads> {
    if (!piece.stateId) return { clouds: {} };
    return (await manager.findOneByOrFail(PieceState, { id: piece.stateId })).heads;
  }

  async saveArtifact(
    pieceId: string,
    stepId: string | null,
    encoded: EncodedCloud,
    manager: EntityManager,
  ): Promise<Artifact> {
    const { bytes } = encoded;
    const blobSha256 = await ('path' in bytes
      ? this.blobs.putFile(bytes.path, manager)
      : this.blobs.put(bytes, manager));
    return manager.save(
      manager.create(Artifact, {
        pieceId,
        stepId,
        kind: encoded.kind,
        blobSha256,
        facts: { ...encoded.facts, bytes: bytes.length },
      }),
    );
  }

  /** Makes `heads` the current state; what was undone before can't be redone after this. */
  async advance(pieceId: string, stepId: string | null, heads: Heads, manager: EntityManager): Promise<void> {
    const piece = await lockPiece(pieceId, manager);
    const state = await manager.save(manager.create(PieceState, { pieceId, parentId: piece.stateId, stepId, heads }));
    piece.stateId = state.id;
    piece.redo = [];
    await manager.save(piece);
  }

  /** Adds scans to a piece and advances its state to `changed`, or to what stands now, with them. */
  async addScans(
    pieceId: string,
    stepId: string | null,
    scans: NewScan[],
    manager: EntityManager,
    changed?: Heads,
  ): Promise<Artifact[]> {
    const piece = await manager.findOneByOrFail(Piece, { id: pieceId });
    const heads = changed ?? (await this.heads(piece, manager));
    const clouds = { ...heads.clouds };
    const made: Artifact[] = [];
    const existing = await manager.findBy(ScanRow, { pieceId });
    // A name is free again once its scan is undone or taken out.
    const taken = new Set(scansIn(heads, existing).map((s) => s.name));
    let colorIndex = existing.length;
    for (const scan of scans) {
      const name = freeName(scan.name, taken);
      taken.add(name);
      const cloud = await this.saveArtifact(pieceId, stepId, scan.cloud, manager);
      const frames = scan.frames ? await this.saveArtifact(pieceId, stepId, scan.frames, manager) : undefined;
      made.push(cloud, ...(frames ? [frames] : []));
      const row = await manager.save(
        manager.create(ScanRow, {
          ...(scan.id ? { id: scan.id } : {}),
          pieceId,
          name,
          setup: scan.setup,
          colorIndex: colorIndex++,
          frames: scan.frameCount,
          originalId: cloud.id,
          framesId: frames?.id ?? null,
        }),
      );
      clouds[row.id] = cloud.id;
    }
    await this.advance(pieceId, stepId, { ...heads, clouds }, manager);
    return made;
  }

  /** Stores a step's results and advances the state; the piece is locked. @returns the new artifacts' ids */
  async applyResult(
    pieceId: string,
    stepId: string,
    result: ThreadResult,
    setup: string,
    manager: EntityManager,
  ): Promise<string[]> {
    const piece = await manager.findOneByOrFail(Piece, { id: pieceId });
    const heads = await this.heads(piece, manager);
    const rows = scansIn(heads, await manager.findBy(ScanRow, { pieceId }));
    const next: Heads = { ...heads, clouds: { ...heads.clouds } };
    const made: string[] = [];
    const fresh: NewScan[] = [];
    const taken = new Set(rows.map((r) => r.name));
    const ids = idsByName(rows);
    for (const c of result.clouds) {
      // A new scan never takes the place of one that happens to have its name.
      const row = c.isNew ? undefined : rows.find((r) => r.name === c.name);
      if (!row) {
        const source = rows.find((r) => r.name === c.splitFrom);
        const name = freeName(c.name, taken);
        taken.add(name);
        const id = randomUUID();
        // Placements that came with it mean the new one, should another have its name.
        ids.set(c.name, id);
        fresh.push({
          id,
          name,
          setup: source?.setup ?? setup,
          cloud: c.cloud,
          frames: c.frames,
          frameCount: c.frameCount,
        });
        continue;
      }
      const artifact = await this.saveArtifact(pieceId, stepId, c.cloud, manager);
      next.clouds[row.id] = artifact.id;
      made.push(artifact.id);
      if (!c.frames) continue;
      const frames = await this.saveArtifact(pieceId, stepId, c.frames, manager);
      next.frames = { ...next.frames, [row.id]: frames.id };
      made.push(frames.id);
    }
    for (const row of rows) if (result.dropped.includes(row.name)) delete next.clouds[row.id];
    for (const slot of [
      'placements',
      'mesh',
      'model',
      'light',
      'dimensions',
      'trust',
      'deviation',
      'surroundings',
      'placings',
      'picture',
    ] as const) {
      let encoded = result[slot];
      if (!encoded) continue;
      if (slot === 'placements') encoded = placementsRekeyed(encoded.bytes, ids);
      const artifact = await this.saveArtifact(pieceId, stepId, encoded, manager);
      next[slot] = artifact.id;
      if (slot !== 'picture') made.push(artifact.id);
    }
    // A new surface makes the map of the old one meaningless, and what was compared vertex by vertex.
    if (result.mesh && !result.model) delete next.model;
    if (result.mesh && !result.light) delete next.light;
    if (result.mesh && !result.deviation) delete next.deviation;
    // Placings are told in the frame of their surroundings.
    if (result.surroundings) delete next.placings;
    if (result.file) {
      const artifact = await this.saveArtifact(
        pieceId,
        stepId,
        {
          kind: 'file',
          bytes: result.file.bytes,
          facts: { name: result.file.name, mediaType: result.file.mediaType },
        },
        manager,
      );
      made.push(artifact.id);
    }
    if (fresh.length > 0) made.push(...(await this.addScans(pieceId, stepId, fresh, manager, next)).map((a) => a.id));
    else if (JSON.stringify(next) !== JSON.stringify(heads)) await this.advance(pieceId, stepId, next, manager);
    return made;
  }

  /**
   * Gives scans other labels, as a new state that can be undone.
   * @throws GeometryError `invalid-parameter` for unknown scans, and for a name that another has; ConflictException while a
   *   step runs, which knows them by their old names
   */
  async label(pieceId: string, scanIds: readonly string[], label: ScanLabel): Promise<void> {
    await this.db.transaction(async (manager) => {
      const piece = await lockSettledPiece(pieceId, 'Change the scan once it has come to its end.', manager);
      const heads = await this.heads(piece, manager);
      const scans = scansIn(heads, await manager.findBy(ScanRow, { pieceId }));
      const fault = (text: string): GeometryError => new GeometryError('invalid-parameter', text);
      if (scanIds.some((id) => !scans.some((s) => s.id === id))) throw fault('One of the scans is no longer there.');
      if (label.name !== undefined && scanIds.length !== 1) throw fault('Only one scan at a time can be renamed.');
      if (scans.some((s) => s.name === label.name && !scanIds.includes(s.id)))
        throw fault(`There is a scan "${label.name}" already. Choose another name.`);
      await this.advance(pieceId, null, withLabels(heads, scanIds, label), manager);
    });
  }

  /** The states from the first to the current one, then those that can be redone, in order. */
  async line(
    pieceId: string,
    manager: EntityManager = this.db.manager,
  ): Promise<{ before: PieceState[]; current?: PieceState; after: PieceState[] }> {
    const piece = await manager.findOneByOrFail(Piece, { id: pieceId });
    const states = new Map((await manager.findBy(PieceState, { pieceId })).map((s) => [s.id, s]));
    const current = piece.stateId ? states.get(piece.stateId) : undefined;
    const before: PieceState[] = [];
    for (let at = current?.parentId; at; at = states.get(at)?.parentId) {
      const state = states.get(at);
      if (state) before.unshift(state);
    }
    const after = piece.redo.map((id) => states.get(id)!).reverse();
    return { before, current, after };
  }

  /**
   * Goes to a state of the line; those left behind can be redone.
   * @returns false if it is not one of them
   * @throws ConflictException while a step runs
   */
  async moveTo(pieceId: string, stateId: string): Promise<boolean> {
    return this.db.transaction(async (manager) => {
      const piece = await lockSettledPiece(pieceId, 'Go to another version once it has come to its end.', manager);
      const { before, current, after } = await this.line(pieceId, manager);
      const line = [...before, ...(current ? [current] : []), ...after].map((s) => s.id);
      const to = line.indexOf(stateId);
      if (to < 0) return false;
      piece.stateId = stateId;
      // The next one to redo comes last.
      piece.redo = line.slice(to + 1).reverse();
      await manager.save(piece);
      return true;
    });
  }

  /**
   * Moves back (or, for redo, forward again) by one state.
   * @returns false if there is nothing to move to
   * @throws ConflictException while a step runs: it would store onto another state than it worked on
   */
  async move(pieceId: string, direction: 'undo' | 'redo'): Promise<boolean> {
    return this.db.transaction(async (manager) => {
      const verb = direction === 'undo' ? 'Undo' : 'Redo';
      const piece = await lockSettledPiece(pieceId, `${verb} once it has come to its end, or cancel it.`, manager);
      if (direction === 'undo') {
        const state = piece.stateId ? await manager.findOneByOrFail(PieceState, { id: piece.stateId }) : undefined;
        if (!state?.parentId) return false;
        piece.redo = [...piece.redo, state.id];
        piece.stateId = state.parentId;
      } else {
        const next = piece.redo[piece.redo.length - 1];
        if (!next) return false;
        piece.redo = piece.redo.slice(0, -1);
        piece.stateId = next;
      }
      await manager.save(piece);
      return true;
    });
  }
}
