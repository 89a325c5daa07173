// Compiles TypeScript for Jest. Test files run in a vm whose every look-up of a global is intercepted, which makes
// numeric code some fifty times slower; a module's own constants of the same names are not.
import { createTransformer } from '@swc/jest';

const NAMES = [
  ...['Math', 'Number', 'Array', 'Object', 'Map', 'Set', 'String', 'Date', 'Error'],
  ...['Float32Array', 'Float64Array', 'Int32Array', 'Uint32Array', 'Uint16Array', 'Uint8Array', 'Int8Array'],
];
const HEAD = `const {${NAMES.join(',')}}=globalThis,Infinity=1/0,NaN=0/0;`;

export default {
  createTransformer(options) {
    const swc = createTransformer(options);
    const withHead = (out) => ({ ...out, code: HEAD + out.code });
    return {
      ...swc,
      process: (...args) => withHead(swc.process(...args)),
      processAsync: async (...args) => withHead(await swc.processAsync(...args)),
      getCacheKey: (...args) => `${swc.getCacheKey(...args)}-constants-1`,
    };
  },
};
