import { isIP } from 'node:net';

/** Headers of a request, as Node gives them. */
export type RequestHeaders = Readonly<Record<string, string | string[] | undefined>>;

/**
 * Why a request is turned away that did not come from our own pages or from a program; nothing if it may pass.
 *
 * A page of another site can make its visitor's browser send requests to this machine. It can't forge what the browser says
 * of itself: `Host` is the name that the page's address was resolved by (so a name that is not ours means that it was made
 * to point here), `Origin` and `Sec-Fetch-Site` tell whose page asks. Programs send neither of the two.
 * Source: Fetch Metadata Request Headers (W3C working draft); RFC 6454, The Web Origin Concept.
 * @param names host names besides `localhost` and addresses in numbers, in lower case
 * @param changes whether the request may change something; a page may lead to what is only looked at
 */
export function foreignRequest(
  headers: RequestHeaders,
  names: readonly string[],
  changes: boolean,
): 'host' | 'origin' | undefined {
  const host = one(headers.host);
  if (!isOwnHost(host, names)) return 'host';
  const origin = one(headers.origin);
  if (origin !== undefined && hostOf(origin) !== host?.toLowerCase()) return 'origin';
  const site = one(headers['sec-fetch-site']);
  const own = site === undefined || site === 'same-origin' || site === 'none';
  const led = one(headers['sec-fetch-mode']) === 'navigate' && !changes;
  return own || led ? undefined : 'origin';
}

const one = (value: string | string[] | undefined): string | undefined => (Array.isArray(value) ? value.join() : value);

function isOwnHost(host: string | undefined, names: readonly string[]): boolean {
  const name = hostName(host ?? '');
  return name !== undefined && (name === 'localhost' || isIP(name) !== 0 || names.includes(name));
}

/** The name of a `Host` header without its port, in lower case; an IPv6 address without its brackets. */
function hostName(host: string): string | undefined {
  const found = /^(?:\[([0-9a-f:.]+)\]|([^:[\]/@\s]+))(?::\d{1,5})?$/i.exec(host);
  return (found?.[1] ?? found?.[2])?.toLowerCase();
}

/** Host and port of an origin; nothing for `null` and what is no web address. */
function hostOf(origin: string): string | undefined {
  if (!URL.canParse(origin)) return undefined;
  const { protocol, host } = new URL(origin);
  return protocol === 'http:' || protocol === 'https:' ? host : undefined;
}
