/** The hare of the Stanford 3D scanning repository as lists of places and triangles; its package has no types. */
declare module 'bunny' {
  const bunny: { positions: number[][]; cells: number[][] };
  export default bunny;
}
