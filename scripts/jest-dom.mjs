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
    // In a page addresses are told from where it is.
    const { href } = this.global.location;
    class PageRequest extends Request {
      constructor(input, init) {
        super(typeof input === 'string' ? new URL(input, href) : input, init);
      }
    }
    Object.assign(this.global, {
      TextEncoder,
      TextDecoder,
      Request: PageRequest,
      Response,
      Headers,
      fetch,
      structuredClone,
    });
    this.global.ResizeObserver ??= nothing;
    this.global.matchMedia ??= () => ({ matches: false, addEventListener() {}, removeEventListener() {} });
  }
}
