import { fromTranslation, identity } from '../math/index.js';
import { ScanGroups } from './scan-groups.js';

test('groups join, are listed by size, and can be split again', () => {
  const groups = new ScanGroups(5);
  expect(groups.list()).toEqual([0, 1, 2, 3, 4]);
  const moved = groups.poses.slice();
  moved[0] = fromTranslation(1, 2, 3);
  groups.join(groups.groupOf(0), groups.groupOf(3), moved);
  groups.join(groups.groupOf(4), groups.groupOf(0), groups.poses);
  expect(groups.list()).toEqual([3, 1, 2]);
  expect([...groups.membersOf(3)].sort()).toEqual([0, 3, 4]);
  expect(groups.poses[0]).toEqual(fromTranslation(1, 2, 3));
  expect(groups.poses[3]).toEqual(identity());

  groups.split([0, 4]);
  expect(groups.groupOf(0)).toBe(groups.groupOf(4));
  expect(groups.groupOf(0)).not.toBe(groups.groupOf(3));
  expect(groups.membersOf(groups.groupOf(3))).toEqual([3]);
  expect(groups.poses[0]).toEqual(fromTranslation(1, 2, 3));
});

test('a whole group is not split from itself', () => {
  const groups = new ScanGroups(1);
  expect(() => groups.split([0])).toThrow(/whole group/);
});
