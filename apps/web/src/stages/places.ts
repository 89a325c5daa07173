import type { ArtifactKind, Stage } from '@amber-knit/contracts';

/** A part of a stage's panel that can be found by words; operations that have a form are found by themselves. */
export interface Place {
  stage: Stage;
  /** As it stands above it. */
  title: string;
  /** The name of its region, where that is another. */
  region?: string;
  help: string;
  /** What else people call it. */
  words?: string;
  /** What must be there before it is. */
  needs?: readonly ArtifactKind[];
}

export const PLACES: readonly Place[] = [
  {
    stage: 'capture',
    title: 'Scan with a device',
    region: 'Device',
    help: 'Chooses a scanner and begins a capture: live views, stand-off, tracking.',
    words: 'start scanning scanner record camera turntable hand-held structured light lidar live',
  },
  {
    stage: 'capture',
    title: 'Scans from files',
    help: 'Brings in scans that were made elsewhere: points, meshes, depth pictures, archives of them.',
    words: 'import load open add upload drop point cloud file ply e57',
  },
  {
    stage: 'capture',
    title: 'Line-laser recording from a file',
    region: 'Line-laser recording',
    help: 'Brings in the pictures, or the video, of one turn under a line laser.',
    words: 'laser line video pictures turn',
  },
  {
    stage: 'clean',
    title: 'Frames',
    help: 'Looks through the single frames of a scan and leaves out those that are out of place, blurred or empty.',
    words: 'blur blurry shaken single pictures bad misaligned',
    needs: ['scans'],
  },
  {
    stage: 'clean',
    title: 'Select points',
    help: 'Selects points with lasso, rectangle, brush, ball, plane, colour or box; cuts them away, keeps only them, splits them off.',
    words: 'lasso crop trim cut delete box brush eraser background remove part',
    needs: ['scans'],
  },
  {
    stage: 'register',
    title: 'Place by hand',
    help: 'Picks the same places in two scans, or drags a scan roughly into place and lets it snap.',
    words: 'manual alignment align picking pairs click same spots matching points corresponding drag move',
    needs: ['scans'],
  },
  {
    stage: 'register',
    title: 'Scans in doubt',
    help: 'Shows scans that fit in several places about as well, with what speaks for each, and lets you choose.',
    words: 'upside down wrong place flipped turned symmetry symmetrical mirrored ambiguous matched mismatch',
    needs: ['placements'],
  },
  {
    stage: 'register',
    title: 'How they hold together',
    help: 'Tells how well the scans hold together: residuals of each pair, overlap, worst places.',
    words: 'quality good alignment accuracy error residual rms overlap registration',
    needs: ['placements'],
  },
  {
    stage: 'register',
    title: 'Where to scan next',
    help: 'Finds the sides that no scan has seen yet, and where the scanner must stand to see them.',
    words: 'missing gaps again rescan incomplete coverage not seen still',
    needs: ['placements'],
  },
  {
    stage: 'fuse',
    title: 'Which scans count where',
    help: 'Says at which places which scans are trusted: the foot from one, the body from another.',
    words: 'trust prefer priority better weight foot body region',
    needs: ['placements'],
  },
  {
    stage: 'fuse',
    title: 'How well measured',
    help: 'Shows which scans made a place, how often it was seen and how far it is expected to be off; lists the worst places.',
    words: 'accuracy precise precision uncertainty confidence provenance invented measured reliable',
    needs: ['mesh'],
  },
  {
    stage: 'mend',
    title: 'What is wrong',
    help: 'Lists faults of the surface: triangles that cross, loose and hidden pieces, spikes, edges with more than two faces.',
    words:
      'self intersecting intersections crossing non manifold flipped normals duplicate errors defects spikes tunnels diagnosis',
    needs: ['mesh'],
  },
  {
    stage: 'mend',
    title: 'Holes',
    help: 'Lists holes by size; fills them flat, smooth or curved, bridges them, or marks them as meant to be open.',
    words: 'fill close hole gap gaps bridge opening mouth open bottom patch',
    needs: ['mesh'],
  },
  {
    stage: 'mend',
    title: 'By hand',
    help: 'Works on the surface by hand: smooth, erase, erase and refill, flatten, push, cut by a plane.',
    words: 'smooth bump brush sculpt erase scratch dent feature flatten cut plane base push inflate local',
    needs: ['mesh'],
  },
  {
    stage: 'mend',
    title: 'A surface from a file',
    help: 'Brings in a finished mesh and says what is wrong with it.',
    words: 'load import open mesh obj stl elsewhere existing finished',
  },
  {
    stage: 'texture',
    title: 'Pictures',
    help: 'Shows which picture coloured what, leaves pictures out or takes one rather, everywhere or at a place.',
    words: 'photo photograph frame ghost blurred double image wrong colour source exclude prefer',
    needs: ['model'],
  },
  {
    stage: 'texture',
    title: 'Colours by hand',
    help: 'Works on the colours: copies from another place or picture, paints, blurs, sharpens, heals.',
    words: 'retouch clone stamp paint stain shiny spots glare highlight reflection heal fix texture touch up brush',
    needs: ['model'],
  },
  {
    stage: 'texture',
    title: 'Light model',
    help: 'Shows the light model with its maps, and where carrying the detail over failed.',
    words: 'maps baked failed',
    needs: ['light'],
  },
  {
    stage: 'check',
    title: 'Dimensions',
    help: 'Picks distances, angles, diameters, shapes, sections and notes that stay with the piece.',
    words:
      'measure measuring distance length angle radius diameter circle cylinder sphere plane fit section cross caliper note annotation how big',
    needs: ['mesh'],
  },
  {
    stage: 'check',
    title: 'Walls',
    help: 'Measures the wall behind every place of the surface and lists where it is thinner than wanted.',
    words: 'thickness thick thin wall minimum',
    needs: ['mesh'],
  },
  {
    stage: 'check',
    title: 'Against a reference',
    help: 'Lays the piece on a reference surface and colours how far each place lies off, with tolerance and histogram.',
    words:
      'compare comparison cad nominal deviation difference colour map heat map tolerance best fit inspection master original',
    needs: ['mesh'],
  },
  {
    stage: 'check',
    title: 'In another place',
    help: 'Puts the piece into another scanned place and shows clearance and clashes.',
    words: 'fit fits collision clash clearance room assembly mount scene',
    needs: ['mesh'],
  },
  {
    stage: 'deliver',
    title: 'Files',
    help: 'Lists the files that were written; several come as one zip.',
    words: 'download zip written delivered',
  },
  {
    stage: 'deliver',
    title: 'Report',
    help: 'Writes how the model was made: scans, steps, figures, dimensions, pictures.',
    words: 'document pdf documentation protocol certificate customer',
  },
  {
    stage: 'deliver',
    title: 'Archive',
    help: 'Writes everything of the piece into one file, raw frames and ledger included, that can be brought in again.',
    words: 'backup back up raw data everything long term package store',
  },
  {
    stage: 'deliver',
    title: 'Shared views',
    help: 'Makes links under which somebody else looks at the piece, and ends them.',
    words: 'link client customer share send show online password colleague',
  },
];
