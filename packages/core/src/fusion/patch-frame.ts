/** Where a patch lies: its centre, unit normal, and two unit directions across it, right-handed. */
export class PatchFrame {
  x = 0;
  y = 0;
  z = 0;
  nx = 0;
  ny = 0;
  nz = 1;
  ux = 1;
  uy = 0;
  uz = 0;
  vx = 0;
  vy = 1;
  vz = 0;

  moveTo(x: number, y: number, z: number): void {
    this.x = x;
    this.y = y;
    this.z = z;
  }

  /** Turns the normal to this direction, of any length. */
  turnTo(x: number, y: number, z: number): void {
    const l = Math.sqrt(x * x + y * y + z * z);
    this.nx = x / l;
    this.ny = y / l;
    this.nz = z / l;
    const sx = Math.abs(this.nx) < 0.7 ? 1 : 0;
    const sy = 1 - sx;
    const ux = sy * this.nz;
    const uy = -sx * this.nz;
    const uz = sx * this.ny - sy * this.nx;
    const ul = Math.sqrt(ux * ux + uy * uy + uz * uz);
    this.ux = ux / ul;
    this.uy = uy / ul;
    this.uz = uz / ul;
    this.vx = this.ny * this.uz - this.nz * this.uy;
    this.vy = this.nz * this.ux - this.nx * this.uz;
    this.vz = this.nx * this.uy - this.ny * this.ux;
  }

  /** Rises by `c[0]` and leans with the slopes `c[1]`, `c[2]` of a height over itself. */
  settle(c: ArrayLike<number>): void {
    this.moveTo(this.x + c[0] * this.nx, this.y + c[0] * this.ny, this.z + c[0] * this.nz);
    this.turnTo(
      this.nx - c[1] * this.ux - c[2] * this.vx,
      this.ny - c[1] * this.uy - c[2] * this.vy,
      this.nz - c[1] * this.uz - c[2] * this.vz,
    );
  }
}
