import { SetMetadata, type CustomDecorator } from '@nestjs/common';
import type { Request } from 'express';
import type { Right } from '@amber-knit/contracts';
import type { Subject } from './rights.service.js';

export const NEED = 'amber-knit:need';

/** The table of what a route is about, whose id is `:id`; or the id of the piece that it is about. */
export type About = Subject['table'] | ((request: Request) => unknown);

/** What a route needs. */
export interface Need {
  right: Right | ((request: Request) => Right);
  /** Missing for what is about no piece. */
  about?: About;
}

/** Says what a route needs. A route that says nothing is refused. */
export const Needs = (right: Need['right'], about?: About): CustomDecorator =>
  SetMetadata(NEED, { right, about } satisfies Need);
