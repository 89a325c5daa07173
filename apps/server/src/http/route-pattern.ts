import type { Request } from 'express';

/**
 * What a request is called where requests are told of: the pattern of its route, not its address. Ids would make a name each, and
 * addresses of shared views are secrets. Known once the route has been found.
 */
export function routePattern({ route }: Request): string {
  const path = (route as { path?: unknown } | undefined)?.path;
  return typeof path === 'string' ? path : 'other';
}
