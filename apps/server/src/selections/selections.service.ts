import { ConflictException, Injectable, NotFoundException } from '@nestjs/common';
import { DataSource } from 'typeorm';
import { decodeSelection } from '@amber-knit/core/stored';
import { Piece, RememberedSelection } from '../database/entities.js';

/** Selections that one piece may hold. */
const MOST = 100;

/** Selected points kept by name with their piece: bits over stored clouds, see docs/formats.md. */
@Injectable()
export class SelectionsService {
  constructor(private readonly db: DataSource) {}

  async names(pieceId: string): Promise<string[]> {
    const found = await this.db.manager.find(RememberedSelection, {
      where: { pieceId },
      order: { createdAt: 'ASC' },
      select: { name: true },
    });
    return found.map((s) => s.name);
  }

  /** @throws NotFoundException if there is none of that name */
  async bytes(pieceId: string, name: string): Promise<Buffer> {
    const found = await this.db.manager.findOneBy(RememberedSelection, { pieceId, name });
    if (!found) throw new NotFoundException(`There is no selection "${name}".`);
    return found.data;
  }

  /**
   * Keeps a selection, in place of one of the same name.
   * @throws GeometryError `corrupt-file` if the bytes are no selection; ConflictException if there are too many
   */
  async keep(pieceId: string, name: string, data: Buffer): Promise<void> {
    decodeSelection(data);
    if (!(await this.db.manager.existsBy(Piece, { id: pieceId })))
      throw new NotFoundException('There is no such piece.');
    const others = await this.names(pieceId);
    if (others.length >= MOST && !others.includes(name))
      throw new ConflictException(`${MOST} selections are remembered already. Forget one first.`);
    await this.db.manager.save(RememberedSelection, { pieceId, name, data });
  }

  async forget(pieceId: string, name: string): Promise<void> {
    await this.db.manager.delete(RememberedSelection, { pieceId, name });
  }
}
