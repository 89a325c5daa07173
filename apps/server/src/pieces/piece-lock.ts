import { ConflictException } from '@nestjs/common';
import { In, type EntityManager } from 'typeorm';
import { Piece, Step } from '../database/entities.js';

/** Locks a piece until the transaction ends: nothing of it begins, ends or is changed elsewhere meanwhile. */
export function lockPiece(pieceId: string, manager: EntityManager): Promise<Piece> {
  return manager.findOneOrFail(Piece, { where: { id: pieceId }, lock: { mode: 'pessimistic_write' } });
}

/**
 * Locks a piece on which no step runs or waits.
 * @param advice what to do instead, as a sentence
 * @throws ConflictException while one does
 */
export async function lockSettledPiece(pieceId: string, advice: string, manager: EntityManager): Promise<Piece> {
  const piece = await lockPiece(pieceId, manager);
  const open = await manager.existsBy(Step, { pieceId, status: In(['queued', 'running']) });
  if (open) throw new ConflictException(`A step is running. ${advice}`);
  return piece;
}
