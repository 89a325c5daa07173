/** Cells may grow by so many steps of a quarter before rows take their place: to four times the size wished for. */
const COARSER = 6;

/**
 * Points sorted into a dense grid by counting sort, rows contiguous in x; finds neighbours within a radius in time
 * proportional to the points near by. Build O(n + cells), memory 16 bytes a point and 4 bytes a cell.
 *
 * Where the box is large for the cells (a point far away, an object in a hall) there are cells in y and z only, and the points
 * of a row are sorted by x: a search finds its stretch of a row by bisection. Build O(n log n) then.
 *
 * Indices returned refer to the caller's point order. The grid never holds on to the caller's array.
 */
export class PointGrid {
  readonly count: number;
  readonly cellSize: number;
  /** Caller's index of the i-th sorted point. */
  readonly order: Uint32Array;
  /** Squared distance of the last successful `nearest`. */
  foundSquared = 0;

  private readonly x: Float32Array;
  private readonly y: Float32Array;
  private readonly z: Float32Array;
  private readonly cellStart: Uint32Array;
  private readonly inverseCell: number;
  private readonly nx: number;
  private readonly ny: number;
  private readonly nz: number;
  private readonly minX: number;
  private readonly minY: number;
  private readonly minZ: number;
  /** What `findSpans` found last. */
  private spans = new Uint32Array(64);
  /** Cells are whole rows, sorted by x. */
  private readonly rows: boolean;

  /** @param cellSize about the radius you will search with; raised if the grid would exceed `maxCells` */
  constructor(positions: Float32Array, cellSize: number, maxCells = Math.max(1 << 16, 10 * positions.length)) {
    const n = positions.length / 3;
    this.count = n;
    let x0 = Infinity;
    let y0 = Infinity;
    let z0 = Infinity;
    let x1 = -Infinity;
    let y1 = -Infinity;
    let z1 = -Infinity;
    for (let i = 0; i < positions.length; i += 3) {
      const x = positions[i];
      const y = positions[i + 1];
      const z = positions[i + 2];
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      if (y > y1) y1 = y;
      if (z < z0) z0 = z;
      if (z > z1) z1 = z;
    }
    if (n === 0) x0 = y0 = z0 = x1 = y1 = z1 = 0;
    let size = cellSize > 0 ? cellSize : 1;
    const cells = (s: number): number =>
      (Math.floor((x1 - x0) / s) + 1) * (Math.floor((y1 - y0) / s) + 1) * (Math.floor((z1 - z0) / s) + 1);
    // A little coarser does no harm; much coarser, and most points would lie in a few cells.
    for (let k = 0; k < COARSER && cells(size) > maxCells; k++) size *= 1.26;
    this.rows = cells(size) > maxCells;
    if (this.rows) {
      size = cellSize > 0 ? cellSize : 1;
      const rows = (s: number): number => (Math.floor((y1 - y0) / s) + 1) * (Math.floor((z1 - z0) / s) + 1);
      while (rows(size) > maxCells) size *= 1.26;
    }
    this.cellSize = size;
    const inverse = 1 / size;
    this.inverseCell = inverse;
    this.minX = x0;
    this.minY = y0;
    this.minZ = z0;
    this.nx = this.rows ? 1 : Math.floor((x1 - x0) * inverse) + 1;
    this.ny = Math.floor((y1 - y0) * inverse) + 1;
    this.nz = Math.floor((z1 - z0) * inverse) + 1;

    const start = new Uint32Array(this.nx * this.ny * this.nz + 1);
    const cellOf = new Uint32Array(n);
    for (let i = 0; i < n; i++) {
      const cx = this.rows ? 0 : ((positions[3 * i] - x0) * inverse) | 0;
      const cy = ((positions[3 * i + 1] - y0) * inverse) | 0;
      const cz = ((positions[3 * i + 2] - z0) * inverse) | 0;
      const cell = (cz * this.ny + cy) * this.nx + cx;
      cellOf[i] = cell;
      start[cell]++;
    }
    for (let c = 1; c < start.length; c++) start[c] += start[c - 1];
    this.order = new Uint32Array(n);
    this.x = new Float32Array(n);
    this.y = new Float32Array(n);
    this.z = new Float32Array(n);
    // Filling each cell from its end leaves `start` pointing at the cells' beginnings.
    for (let i = n - 1; i >= 0; i--) {
      const at = --start[cellOf[i]];
      this.order[at] = i;
      this.x[at] = positions[3 * i];
      this.y[at] = positions[3 * i + 1];
      this.z[at] = positions[3 * i + 2];
    }
    this.cellStart = start;
    if (this.rows) this.sortRows();
  }

  /** Puts the points of each row in the order of their x. */
  private sortRows(): void {
    const { cellStart, x, y, z, order } = this;
    for (let row = 0; row + 1 < cellStart.length; row++) {
      const [from, end] = [cellStart[row], cellStart[row + 1]];
      if (end - from < 2) continue;
      const by = Uint32Array.from({ length: end - from }, (_, k) => from + k).sort((a, b) => x[a] - x[b] || a - b);
      for (const values of [x, y, z])
        values.set(
          Float32Array.from(by, (k) => values[k]),
          from,
        );
      order.set(
        Uint32Array.from(by, (k) => order[k]),
        from,
      );
    }
  }

  /** In a row: its first point whose x is not below `at`. */
  private bisect(row: number, at: number): number {
    let low = this.cellStart[row];
    let high = this.cellStart[row + 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.x[middle] < at) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /**
   * Index of the closest point within `radius`, or -1; its squared distance is in `foundSquared`.
   * Looks into the centre's own cell first, then, row by row outwards, only as far as what was found leaves open.
   */
  nearest(px: number, py: number, pz: number, radius: number): number {
    if (this.rows) return this.nearestInRows(px, py, pz, radius);
    const s = this.cellSize;
    const inverse = this.inverseCell;
    const { nx, ny, nz, x, y, z, cellStart } = this;
    const gx = px - this.minX;
    const gy = py - this.minY;
    const gz = pz - this.minZ;
    if (!(gx > -radius && gy > -radius && gz > -radius)) return -1;
    let best = radius * radius;
    let found = -1;
    const cellX = (gx * inverse) | 0;
    const cellY = (gy * inverse) | 0;
    const cellZ = (gz * inverse) | 0;
    if (gx >= 0 && gy >= 0 && gz >= 0 && cellX < nx && cellY < ny && cellZ < nz) {
      const cell = (cellZ * ny + cellY) * nx + cellX;
      const end = cellStart[cell + 1];
      for (let i = cellStart[cell]; i < end; i++) {
        const ax = x[i] - px;
        const ay = y[i] - py;
        const az = z[i] - pz;
        const d = ax * ax + ay * ay + az * az;
        if (d < best) {
          best = d;
          found = i;
        }
      }
    }
    let reach = Math.sqrt(best);
    const z0 = gz > reach ? ((gz - reach) * inverse) | 0 : 0;
    const z1 = Math.min(nz - 1, ((gz + reach) * inverse) | 0);
    const y0 = gy > reach ? ((gy - reach) * inverse) | 0 : 0;
    const y1 = Math.min(ny - 1, ((gy + reach) * inverse) | 0);
    for (let cz = z0; cz <= z1; cz++) {
      const lowZ = cz * s;
      const dz = gz < lowZ ? lowZ - gz : gz > lowZ + s ? gz - lowZ - s : 0;
      const restZ = best - dz * dz;
      if (restZ <= 0) continue;
      for (let cy = y0; cy <= y1; cy++) {
        const lowY = cy * s;
        const dy = gy < lowY ? lowY - gy : gy > lowY + s ? gy - lowY - s : 0;
        const rest = best - dz * dz - dy * dy;
        if (rest <= 0) continue;
        reach = Math.sqrt(rest);
        const x0 = gx > reach ? ((gx - reach) * inverse) | 0 : 0;
        const x1 = Math.min(nx - 1, ((gx + reach) * inverse) | 0);
        if (x0 > x1) continue;
        const row = (cz * ny + cy) * nx;
        const end = cellStart[row + x1 + 1];
        for (let i = cellStart[row + x0]; i < end; i++) {
          const ax = x[i] - px;
          const ay = y[i] - py;
          const az = z[i] - pz;
          const d = ax * ax + ay * ay + az * az;
          if (d < best) {
            best = d;
            found = i;
          }
        }
      }
    }
    if (found < 0) return -1;
    this.foundSquared = best;
    return this.order[found];
  }

  /** The same where cells are rows: each is walked from the place of the centre in both directions. */
  private nearestInRows(px: number, py: number, pz: number, radius: number): number {
    const { cellSize: s, ny, nz, x, y, z, cellStart } = this;
    const gy = py - this.minY;
    const gz = pz - this.minZ;
    let best = radius * radius;
    let found = -1;
    const walk = (row: number): void => {
      const middle = this.bisect(row, px);
      for (let step = -1; step <= 1; step += 2) {
        const end = step < 0 ? cellStart[row] - 1 : cellStart[row + 1];
        for (let i = step < 0 ? middle - 1 : middle; i !== end; i += step) {
          const ax = x[i] - px;
          if (ax * ax >= best) break;
          const ay = y[i] - py;
          const az = z[i] - pz;
          const d = ax * ax + ay * ay + az * az;
          if (d < best) {
            best = d;
            found = i;
          }
        }
      }
    };
    const cellOf = (g: number, cells: number): number => Math.max(0, Math.min(cells - 1, Math.floor(g / s)));
    const ownY = cellOf(gy, ny);
    const ownZ = cellOf(gz, nz);
    walk(ownZ * ny + ownY);
    const apart = (g: number, cell: number): number => Math.max(0, cell * s - g, g - (cell + 1) * s);
    const reach = Math.sqrt(best);
    for (let cz = cellOf(gz - reach, nz); cz <= cellOf(gz + reach, nz); cz++) {
      const dz = apart(gz, cz);
      if (dz * dz >= best) continue;
      for (let cy = cellOf(gy - reach, ny); cy <= cellOf(gy + reach, ny); cy++) {
        const dy = apart(gy, cy);
        if (dz * dz + dy * dy < best && !(cy === ownY && cz === ownZ)) walk(cz * ny + cy);
      }
    }
    if (found < 0) return -1;
    this.foundSquared = best;
    return this.order[found];
  }

  /**
   * Writes the indices of all points within `radius` to `out` (and, if given, their squared distances to `squared`).
   * Stops when `out` is full.
   * @returns how many were written
   */
  within(px: number, py: number, pz: number, radius: number, out: Uint32Array, squared?: Float32Array): number {
    const { x, y, z, order } = this;
    const r2 = radius * radius;
    const count = this.findSpans(px, py, pz, radius);
    const spans = this.spans;
    let n = 0;
    for (let s = 0; s < count; s += 2) {
      const end = spans[s + 1];
      for (let i = spans[s]; i < end; i++) {
        const ax = x[i] - px;
        const ay = y[i] - py;
        const az = z[i] - pz;
        const d = ax * ax + ay * ay + az * az;
        if (d <= r2) {
          if (n === out.length) return n;
          if (squared) squared[n] = d;
          out[n++] = order[i];
        }
      }
    }
    return n;
  }

  /**
   * Adds up the points within `radius`, however many they are, as seen from the centre: their number, then the sums of
   * x, y, z, xx, xy, xz, yy, yz, zz.
   */
  moments(px: number, py: number, pz: number, radius: number, out: Float64Array): void {
    const { x, y, z } = this;
    const r2 = radius * radius;
    const count = this.findSpans(px, py, pz, radius);
    const spans = this.spans;
    let n = 0;
    let sx = 0;
    let sy = 0;
    let sz = 0;
    let xx = 0;
    let xy = 0;
    let xz = 0;
    let yy = 0;
    let yz = 0;
    let zz = 0;
    for (let s = 0; s < count; s += 2) {
      const end = spans[s + 1];
      for (let i = spans[s]; i < end; i++) {
        const ax = x[i] - px;
        const ay = y[i] - py;
        const az = z[i] - pz;
        if (ax * ax + ay * ay + az * az > r2) continue;
        n++;
        sx += ax;
        sy += ay;
        sz += az;
        xx += ax * ax;
        xy += ax * ay;
        xz += ax * az;
        yy += ay * ay;
        yz += ay * az;
        zz += az * az;
      }
    }
    out[0] = n;
    out[1] = sx;
    out[2] = sy;
    out[3] = sz;
    out[4] = xx;
    out[5] = xy;
    out[6] = xz;
    out[7] = yy;
    out[8] = yz;
    out[9] = zz;
  }

  /**
   * Finds the stretches of sorted points that hold all within `radius`, and some more: begin and end of each in `spans`.
   * @returns how many numbers that are
   */
  private findSpans(px: number, py: number, pz: number, radius: number): number {
    const s = this.cellSize;
    const { nx, ny, nz, cellStart, rows } = this;
    const gx = px - this.minX;
    const gy = py - this.minY;
    const gz = pz - this.minZ;
    const z0 = Math.max(0, Math.floor((gz - radius) / s));
    const z1 = Math.min(nz - 1, Math.floor((gz + radius) / s));
    const y0 = Math.max(0, Math.floor((gy - radius) / s));
    const y1 = Math.min(ny - 1, Math.floor((gy + radius) / s));
    const x0 = rows ? 0 : Math.max(0, Math.floor((gx - radius) / s));
    const x1 = rows ? 0 : Math.min(nx - 1, Math.floor((gx + radius) / s));
    if (x0 > x1 || y0 > y1 || z0 > z1) return 0;
    const most = 2 * (y1 - y0 + 1) * (z1 - z0 + 1);
    if (this.spans.length < most) this.spans = new Uint32Array(2 * most);
    const spans = this.spans;
    // Single precision in the array, double here: a stretch of a row is a little longer.
    const slack = 1e-6 * Math.abs(px);
    let count = 0;
    for (let cz = z0; cz <= z1; cz++) {
      for (let cy = y0; cy <= y1; cy++) {
        const row = (cz * ny + cy) * nx;
        const from = rows ? this.bisect(row, px - radius - slack) : cellStart[row + x0];
        const end = rows ? this.bisect(row, px + radius + slack) : cellStart[row + x1 + 1];
        if (from === end) continue;
        spans[count++] = from;
        spans[count++] = end;
      }
    }
    return count;
  }

  /** True if any point lies within `radius`. */
  hasWithin(px: number, py: number, pz: number, radius: number): boolean {
    return this.nearest(px, py, pz, radius) >= 0;
  }
}
