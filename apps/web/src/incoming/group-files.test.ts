import { groupFiles, type DroppedFile } from './group-files';

const file = (path: string): DroppedFile => ({ path, file: { name: path.replace(/^.*\//, '') } as File });
const grouped = (...paths: string[]) => {
  const { groups, unknown } = groupFiles(paths.map(file));
  return { groups: groups.map((g) => [g.name, ...g.files.map((f) => f.path)]), unknown };
};

test('files that stand for themselves go one by one', () => {
  expect(grouped('a.ply', 'b.E57', 'c.zip', 'notes.docx', '.DS_Store')).toEqual({
    groups: [
      ['a.ply', 'a.ply'],
      ['b.E57', 'b.E57'],
      ['c.zip', 'c.zip'],
    ],
    unknown: ['notes.docx'],
  });
});

test('a mesh takes the materials and pictures below its folder along', () => {
  expect(grouped('jug/jug.obj', 'jug/jug.mtl', 'jug/maps/jug.png', 'wheel.obj', 'other/p.png')).toEqual({
    groups: [
      ['jug.zip', 'jug/jug.obj', 'jug/jug.mtl', 'jug/maps/jug.png'],
      ['wheel.zip', 'wheel.obj', 'jug/jug.mtl', 'jug/maps/jug.png', 'other/p.png'],
    ],
    unknown: [],
  });
  expect(grouped('wheel.obj').groups).toEqual([['wheel.obj', 'wheel.obj']]);
});

test('a folder of depth pictures goes as one, its pictures and lists with it', () => {
  const r = grouped('set/jug/intrinsics.json', 'set/jug/trajectory.txt', 'set/jug/depth/0.png', 'set/a.ply');
  expect(r.groups).toEqual([
    ['jug.zip', 'set/jug/intrinsics.json', 'set/jug/trajectory.txt', 'set/jug/depth/0.png'],
    ['a.ply', 'set/a.ply'],
  ]);
});

test('text files are marked: their columns are asked', () => {
  expect(groupFiles([file('a.xyz'), file('b.ply')]).groups.map((g) => [g.name, g.text])).toEqual([
    ['b.ply', false],
    ['a.xyz', true],
  ]);
});
