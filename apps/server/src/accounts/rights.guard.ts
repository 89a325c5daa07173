import { ForbiddenException, Injectable, type CanActivate, type ExecutionContext } from '@nestjs/common';
import { Reflector } from '@nestjs/core';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { Right } from '@amber-knit/contracts';
import { sendProblem } from '../problem.filter.js';
import { RightsService } from './rights.service.js';
import { NEED, type Need } from './rights.js';

/** Lets through whoever may; a route that does not say what it needs lets nobody through, with accounts or without. */
@Injectable()
export class RightsGuard implements CanActivate {
  constructor(
    private readonly reflector: Reflector,
    private readonly rights: RightsService,
  ) {}

  async canActivate(context: ExecutionContext): Promise<boolean> {
    const need = this.reflector.getAllAndOverride<Need | undefined>(NEED, [context.getHandler(), context.getClass()]);
    if (!need) throw new ForbiddenException('Nobody has said who may ask for this.');
    const { right, about } = need;
    const request = context.switchToHttp().getRequest<Request>();
    await this.rights.mustMay(
      typeof right === 'function' ? right(request) : right,
      typeof about === 'function'
        ? { table: 'piece', id: about(request) }
        : about && { table: about, id: request.params.id },
    );
    return true;
  }
}

/** The same for what is no route of a controller, and about no piece. */
export function needs(right: Right, rights: RightsService): RequestHandler {
  return (_request: Request, response: Response, next: NextFunction): void => {
    rights.mustMay(right).then(
      () => next(),
      (e: unknown) => sendProblem(response, e),
    );
  };
}
