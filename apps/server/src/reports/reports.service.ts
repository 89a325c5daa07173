import { readFileSync } from 'node:fs';
import { Injectable, NotFoundException } from '@nestjs/common';
import { DataSource, In } from 'typeorm';
import { boundsOf, triangleNormal, type TriangleMesh } from '@amber-knit/core/geometry';
import { Artifact, Piece, Step } from '../database/entities.js';
import { PieceStore } from '../pieces/piece-store.js';
import { PiecesService } from '../pieces/pieces.service.js';
import { stepView } from '../steps/step-view.js';
import { decodeDimensions, decodeSurface } from '../storage/artifact-codec.js';
import { BlobStore } from '../storage/blob-store.js';
import { reportDocument, type ReportDocument, type SurfaceFacts } from './report-document.js';

const { version: VERSION } = JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8')) as {
  version: string;
};

/** Puts together what a report tells of a piece as it stands. */
@Injectable()
export class ReportsService {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly pieces: PiecesService,
    private readonly store: PieceStore,
  ) {}

  /** @throws NotFoundException */
  async of(pieceId: string): Promise<ReportDocument> {
    if (!(await this.db.manager.existsBy(Piece, { id: pieceId })))
      throw new NotFoundException('There is no such piece.');
    const piece = await this.pieces.view(pieceId);
    const { before, current } = await this.store.line(pieceId);
    const line = [...before, ...(current ? [current] : [])].flatMap((s) => s.stepId ?? []);
    const steps = await this.db.manager.findBy(Step, { id: In(line) });
    const bytes = async (id: string | undefined): Promise<Buffer | undefined> => {
      const artifact = id ? await this.db.manager.findOneBy(Artifact, { id }) : null;
      return artifact ? Buffer.from(await this.blobs.get(artifact.blobSha256)) : undefined;
    };
    const [surface, sheet, picture] = await Promise.all([
      bytes(piece.mesh?.id),
      bytes(piece.dimensions?.id),
      bytes(piece.picture?.id),
    ]);
    return reportDocument({
      piece,
      steps: line.flatMap((id) => steps.filter((s) => s.id === id).map(stepView)),
      version: VERSION,
      ...(surface ? { surface: factsOf(decodeSurface(surface), piece.watertight ?? false) } : {}),
      ...(sheet ? { sheet: decodeDimensions(sheet) } : {}),
      ...(picture ? { picture: { bytes: picture, views: Number(piece.picture?.facts.views ?? 1) } } : {}),
    });
  }
}

/** What the report says of the surface itself. O(triangles). */
function factsOf(mesh: TriangleMesh, watertight: boolean): SurfaceFacts {
  const { positions, indices, invented, expectedError } = mesh;
  const { min, max } = boundsOf(positions);
  const n = new Float64Array(3);
  let area = 0;
  let filled = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const own = triangleNormal(positions, indices[t], indices[t + 1], indices[t + 2], n) / 2;
    area += own;
    if (invented) for (let k = 0; k < 3; k++) filled += invented[indices[t + k]] ? own / 3 : 0;
  }
  const known = expectedError?.filter((e) => e >= 0).sort();
  return {
    size: max.map((v, k) => v - min[k]),
    area,
    triangles: indices.length / 3,
    watertight,
    measuredRatio: area > 0 ? 1 - filled / area : 0,
    ...(known && known.length > 0 ? { expectedError: known[known.length >> 1] } : {}),
  };
}
