import { identity, type Mat4 } from '../math/mat4.js';

/** Scans that hold together so far, each group in a frame of its own. */
export class ScanGroups {
  /** Pose of each scan in its group's frame. */
  poses: Mat4[];
  private readonly group: Int32Array;
  private readonly members: number[][];

  /** @param locked scans whose places are known: they are one group from the start, which comes first in the list */
  constructor(
    count: number,
    private readonly locked: ReadonlyMap<number, Mat4> = new Map(),
  ) {
    this.poses = Array.from({ length: count }, (_, i) => locked.get(i) ?? identity());
    this.group = Int32Array.from({ length: count }, (_, i) => i);
    this.members = Array.from({ length: count }, (_, i) => [i]);
    const [first, ...rest] = locked.keys();
    for (const i of rest) this.join(i, first, this.poses);
  }

  groupOf(scan: number): number {
    return this.group[scan];
  }

  membersOf(group: number): readonly number[] {
    return this.members[group];
  }

  /** Numbers of the groups that have members, the one with the locked scans first, then the largest. */
  list(): number[] {
    const isLocked = (g: number): number => (this.members[g].some((i) => this.locked.has(i)) ? 1 : 0);
    return this.members
      .map((_, g) => g)
      .filter((g) => this.members[g].length > 0)
      .sort((a, b) => isLocked(b) - isLocked(a) || this.members[b].length - this.members[a].length || a - b);
  }

  /** Puts all of group `ga` into group `gb`; `poses` are in the frame of `gb`. */
  join(ga: number, gb: number, poses: Mat4[]): void {
    this.poses = poses;
    for (const i of this.members[ga]) this.group[i] = gb;
    this.members[gb] = [...this.members[gb], ...this.members[ga]];
    this.members[ga] = [];
  }

  /** Takes scans out of their group into a group of their own, keeping how they sit to one another. */
  split(scans: readonly number[]): void {
    const from = this.group[scans[0]];
    const to = this.members.findIndex((m) => m.length === 0);
    if (to < 0) throw new Error('ScanGroups.split: the scans are the whole group.');
    this.members[from] = this.members[from].filter((i) => !scans.includes(i));
    this.members[to] = [...scans];
    for (const i of scans) this.group[i] = to;
  }
}
