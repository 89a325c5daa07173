// A page without a browser: jsdom, with what it lacks of the web's own and components ask for.
import TestEnvironment from 'jest-environment-jsdom';

export default class Dom extends TestEnvironment {
  async setup() {
    await super.setup();
    const nothing = class {
      observe() {}
      unobserve() {}
      disconnect() {}
    };
    Object.assign(this.global, { TextEncoder, TextDecoder, Request, Response, Headers, fetch, structuredClone });
    this.global.ResizeObserver ??= nothing;
    this.global.matchMedia ??= () => ({ matches: false, addEventListener() {}, removeEventListener() {} });
  }
}
