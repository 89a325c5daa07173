export { findShapes, type FoundShape } from './find-shapes.js';
export { fitShape, refineShape, distancesOf } from './fit-shape.js';
export type { MeasuredPoints, ShapeFit, ShapeUncertainty } from './fit-shape.js';
export * from './grow-region.js';
export * from './relations.js';
export { distanceFromAxis, onAxis, SHAPE_KINDS, ShapeDistance, type Shape, type ShapeKind } from './shape.js';
