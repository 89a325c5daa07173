export * from './advise.js';
export * from './plan-answers.js';
export * from './guide-answers.js';
