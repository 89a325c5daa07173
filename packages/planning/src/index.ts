export * from './advise.js';
export * from './plan-answers.js';
