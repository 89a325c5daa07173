import type { Problem, SharedPage } from '@amber-knit/contracts';

/** What asking for a shared view came to. */
export type Asked =
  | { state: 'open'; page: SharedPage }
  | { state: 'locked' }
  /** Wrong, ended, or never there. */
  | { state: 'gone' }
  | { state: 'failed'; words: string };

const FAILED = 'The server can’t be reached. Look at your connection, then reload the page.';

export async function askForPage(token: string): Promise<Asked> {
  try {
    const response = await fetch(`/api/shared/${token}`);
    if (response.ok) return { state: 'open', page: (await response.json()) as SharedPage };
    if (response.status === 401) return { state: 'locked' };
    if (response.status < 500) return { state: 'gone' };
    return { state: 'failed', words: await wordsOf(response) };
  } catch {
    return { state: 'failed', words: FAILED };
  }
}

/** Gives the password. @returns words on what went wrong; nothing if it was right */
export async function givePassword(token: string, password: string): Promise<string | undefined> {
  try {
    const response = await fetch(`/api/shared/${token}/open`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ password }),
    });
    if (response.ok) return undefined;
    return response.status === 401 ? 'That is not the password.' : await wordsOf(response);
  } catch {
    return FAILED;
  }
}

const wordsOf = (response: Response): Promise<string> =>
  response.json().then(
    (problem: Problem) => problem.detail ?? FAILED,
    () => FAILED,
  );
