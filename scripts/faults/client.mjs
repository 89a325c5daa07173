import { connect } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';

/** A caller that never gives up: it asks again after every fault, and looks before it asks for something twice. */
export class Client {
  /** @param base address of the server  @param random numbers of [0, 1) that decide where connections are cut */
  constructor(base, random) {
    this.base = base;
    this.random = random;
    this.cutConnections = false;
  }

  /** @returns status and JSON; connection faults and 5xx are asked again, for two minutes at most */
  async call(method, path, body, { once = false } = {}) {
    const begun = Date.now();
    for (;;) {
      const answer = await this.#try(method, path, body);
      const passing = answer === undefined || answer.status >= 500;
      if (!passing || once) return answer;
      if (Date.now() - begun > 120_000)
        throw new Error(`${method} ${path} failed for two minutes: ${JSON.stringify(answer)}`);
      await sleep(300);
    }
  }

  async #try(method, path, body) {
    try {
      const answer = await fetch(`${this.base}${path}`, {
        method,
        headers: body === undefined ? {} : { 'content-type': 'application/json' },
        body: body === undefined ? undefined : JSON.stringify(body),
        signal: AbortSignal.timeout(60_000),
      });
      const text = await answer.text();
      return { status: answer.status, json: text ? JSON.parse(text) : undefined };
    } catch {
      return undefined;
    }
  }

  get(path) {
    return this.call('GET', path).then((a) => a.json);
  }

  /** Makes something that must not be made twice: after a fault `find` tells whether it was made after all. */
  async make(method, path, body, find) {
    for (;;) {
      const answer = await this.call(method, path, body, { once: true });
      if (answer && answer.status < 500) return answer;
      await sleep(500);
      const made = await find();
      if (made) return { status: 202, json: made };
    }
  }

  newPiece(name) {
    const find = async () => (await this.get('/api/pieces')).find((p) => p.name === name);
    return this.make('POST', '/api/pieces', { name }, find).then((a) => a.json);
  }

  /** Makes a step by some call that must not be made twice. @returns the step, queued */
  async #ask(pieceId, path, body, operationId) {
    const list = () => this.get(`/api/pieces/${pieceId}/steps`);
    const before = new Set((await list()).map((s) => s.id));
    const find = async () => (await list()).find((s) => !before.has(s.id) && s.operationId === operationId);
    const { status, json } = await this.make('POST', path, body, find);
    if (status !== 202) throw new Error(`${operationId} was refused: ${JSON.stringify(json)}`);
    return json;
  }

  /** Queues a step and waits for its good end. */
  async run(pieceId, operationId, params = {}) {
    const step = await this.#ask(pieceId, `/api/pieces/${pieceId}/steps`, { operationId, params }, operationId);
    return this.done(step.id);
  }

  /**
   * Waits for a step's good end. What was given up for want of room or of workers is asked for again, as a person would.
   * @throws Error if it ended otherwise
   */
  async done(stepId) {
    let step = await this.ended(stepId);
    for (
      let tries = 0;
      step.status === 'failed' && /lost \d+ times|disk is full/i.test(step.error) && tries < 5;
      tries++
    ) {
      await sleep(1000);
      const next = await this.#ask(step.pieceId, `/api/steps/${step.id}/again`, {}, step.operationId);
      step = await this.ended(next.id);
    }
    if (step.status !== 'done') throw new Error(`${step.operationId} ended: ${step.status}, ${step.error}`);
    return step;
  }

  async ended(stepId, timeoutMs = 180_000) {
    for (const end = Date.now() + timeoutMs; Date.now() < end; await sleep(150)) {
      const step = await this.get(`/api/steps/${stepId}`);
      if (!['queued', 'running'].includes(step.status)) return step;
    }
    throw new Error(`Step ${stepId} did not end: ${JSON.stringify(await this.get(`/api/steps/${stepId}`))}`);
  }

  /** Sends a file as tus 1.0.0 says, in parts, resuming after every fault. @returns the step that takes it */
  async upload(pieceId, filename, bytes) {
    const meta = { filename, pieceId, setup: 'Upright' };
    const metadata = Object.entries(meta).map(([k, v]) => `${k} ${Buffer.from(v).toString('base64')}`);
    let url;
    for (;;) {
      try {
        if (!url) {
          const created = await this.#tus('POST', `${this.base}/api/uploads`, {
            'Upload-Length': String(bytes.length),
            'Upload-Metadata': metadata.join(','),
          });
          if (created.status !== 201) throw new Error(`refused for now: ${created.status}`);
          url = new URL(created.headers.get('location'), this.base).href;
        }
        const head = await this.#tus('HEAD', url);
        if (head.headers.get('amber-step')) return head.headers.get('amber-step');
        if (head.status === 404 || head.status === 410) {
          url = undefined;
          continue;
        }
        if (head.status !== 200) throw new Error(`not now: ${head.status}`);
        const offset = Number(head.headers.get('upload-offset'));
        const part = bytes.subarray(offset, offset + 20_000);
        if (this.cutConnections && this.random() < 0.3) await this.#cut(url, offset, part);
        const patched = await this.#tus(
          'PATCH',
          url,
          { 'Upload-Offset': String(offset), 'Content-Type': 'application/offset+octet-stream' },
          part,
        );
        if (patched.headers.get('amber-step')) return patched.headers.get('amber-step');
      } catch {
        await sleep(400);
      }
    }
  }

  #tus(method, url, headers = {}, body) {
    return fetch(url, {
      method,
      headers: { 'Tus-Resumable': '1.0.0', ...headers },
      body,
      signal: AbortSignal.timeout(60_000),
    });
  }

  /** Sends half of a part, and resets the connection in the middle of it. */
  #cut(url, offset, part) {
    const { hostname, port, pathname, host } = new URL(url);
    return new Promise((resolve) => {
      const socket = connect(Number(port), hostname);
      socket.on('error', () => resolve());
      socket.on('connect', () => {
        socket.write(
          `PATCH ${pathname} HTTP/1.1\r\nHost: ${host}\r\nTus-Resumable: 1.0.0\r\nUpload-Offset: ${offset}\r\n` +
            `Content-Type: application/offset+octet-stream\r\nContent-Length: ${part.length}\r\n\r\n`,
        );
        socket.write(part.subarray(0, part.length >> 1), () => {
          socket.resetAndDestroy();
          resolve();
        });
      });
    });
  }
}
