import type { Placement, PlacementDoubt } from '@amber-knit/core/geometry';
import type { ArtifactView, DoubtView, PieceView, PlacementView, ScanView, StageState } from '@amber-knit/contracts';
import { operationOf, shortCountText, STAGES, type Stage } from '@amber-knit/operations';
import type { Artifact, Heads, Person, Piece, PieceState, ScanRow, Step } from '../database/entities.js';
import { rekeyed } from '../storage/artifact-codec.js';
import { titleOf } from '../steps/step-view.js';
import { namesById, scansIn } from './scan-labels.js';
import { surfaceFacts } from './surface-facts.js';

/** All that a view of a piece is made of. */
export interface PieceRows {
  piece: Piece;
  owner: Person | null;
  /** The state that is looked at; none of a piece that has none yet. */
  state?: PieceState;
  scans: ScanRow[];
  artifacts: Artifact[];
  steps: Step[];
  /** Of that state, by the ids of the scans. */
  placements: Placement[];
}

export function artifactView(a: Artifact): ArtifactView {
  return { id: a.id, kind: a.kind, bytes: Number(a.facts.bytes ?? 0), facts: a.facts, stepId: a.stepId };
}

/** Puts together everything the browser shows of a piece, as it stands or as it stood at a state. */
export function viewOfPiece({ piece, owner, state, scans, artifacts: list, steps, placements }: PieceRows): PieceView {
  const heads: Heads = state?.heads ?? { clouds: {} };
  const rows = scansIn(heads, scans);
  const artifacts = new Map(list.map((a) => [a.id, a]));
  const stepOf = new Map(steps.map((s) => [s.id, s]));
  const view = (artifactId?: string): ArtifactView | null => {
    const a = artifactId ? artifacts.get(artifactId) : undefined;
    return a ? artifactView(a) : null;
  };
  const placementList = rekeyed(placements, namesById(rows));
  const scanList: ScanView[] = rows.map((r) => {
    const p = placementList.find((x) => x.name === r.name);
    const cloud = view(heads.clouds[r.id])!;
    const droppedFrames = cloud.facts.droppedFrames ? String(cloud.facts.droppedFrames).split('\n') : [];
    return {
      id: r.id,
      name: r.name,
      setup: r.setup,
      note: r.note,
      colorIndex: r.colorIndex,
      frames: r.frames - droppedFrames.length,
      droppedFrames,
      framesId: r.framesId,
      coverage: coverageOf(r.framesId ? artifacts.get(r.framesId) : undefined),
      cloud,
      original: view(r.originalId)!,
      placement: p
        ? placementView(p)
        : { name: r.name, state: 'loose', pieceFromScan: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1] },
    };
  });
  const stages = buildStages(piece, heads, scanList, artifacts, stepOf, steps);
  const mesh = view(heads.mesh);
  const [model, light] = [view(heads.model), view(heads.light)];
  const dimensions = view(heads.dimensions);
  const placings = view(heads.placings);
  const reached = [...stages].reverse().find((s) => s.state === 'done' || s.state === 'outdated')?.stage ?? 'plan';
  const undoOf = state?.stepId ? stepOf.get(state.stepId) : undefined;
  return {
    id: piece.id,
    name: piece.name,
    note: piece.note,
    scans: scanList.length,
    points: scanList.reduce((n, s) => n + Number(s.cloud.facts.points ?? 0), 0),
    stage: reached,
    triangles: Number(mesh?.facts.triangles ?? 0),
    watertight: mesh ? Boolean(mesh.facts.watertight) : null,
    updatedAt: piece.updatedAt.toISOString(),
    picture: view(heads.picture),
    running: runningOf(steps),
    owner: owner && { id: owner.id, name: owner.name },
    setups: [...new Set(scanList.map((s) => s.setup))],
    plan: piece.plan,
    scanList,
    placements: view(heads.placements),
    doubts: [...new Set(placementList.flatMap((p) => p.doubt ?? []))].map(doubtView),
    mesh,
    surface: surfaceFacts({ mesh, model, light }, steps),
    model,
    light,
    dimensions,
    trust: view(heads.trust),
    deviation: view(heads.deviation),
    surroundings: view(heads.surroundings),
    placings,
    placingsFresh:
      !placings ||
      (isOf(stepOf.get(placings.stepId ?? ''), mesh?.id) &&
        isOf(stepOf.get(placings.stepId ?? ''), heads.surroundings)),
    dimensionsFresh: !dimensions || measuredNow(stepOf.get(dimensions.stepId ?? ''), heads),
    stages,
    canUndo: Boolean(state?.parentId),
    canRedo: piece.redo.length > 0,
    lastStep: undoOf ? (operationOf(undoOf)?.title ?? undoOf.operationId) : null,
  };
}

/** What runs, or waits for its turn; of several the first. */
function runningOf(steps: readonly Step[]): string | null {
  const step = steps.find((s) => s.status === 'running') ?? steps.find((s) => s.status === 'queued');
  return step ? `${titleOf(step)}${step.status === 'queued' ? ', waits' : ''}` : null;
}

function placementView({ doubt: _doubt, pieceFromScan, ...p }: Placement): PlacementView {
  return { ...p, pieceFromScan: Array.from(pieceFromScan) };
}

function coverageOf(frames: Artifact | undefined): number[] {
  const text = frames?.facts.coverage;
  return typeof text === 'string' ? text.split(' ').map(Number) : [];
}

function doubtView(doubt: PlacementDoubt): DoubtView {
  const stay = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
  const rivals = doubt.rivals.map((r) => ({ ...r, pieceFromPiece: Array.from(r.pieceFromPiece) }));
  const reason = doubt.reason ?? 'elsewhere';
  return { scans: doubt.scans, reason, places: [{ pieceFromPiece: stay, agreement: doubt.chosen }, ...rivals] };
}

/** Was a step about a surface: did it look at it, or make it? */
const isOf = (step: Step | undefined, meshId: string | undefined): boolean =>
  Boolean(step && meshId && (step.inputs.includes(meshId) || step.outputs.includes(meshId)));

/** Whether dimensions were measured on the surface as it is, and those that are read from a comparison on that one. */
function measuredNow(step: Step | undefined, heads: Heads): boolean {
  if (!isOf(step, heads.mesh)) return false;
  const asked = (step!.params.dimensions ?? []) as { kind: string }[];
  return !asked.some((d) => d.kind === 'off') || (heads.deviation ? isOf(step, heads.deviation) : true);
}

/** The state of each stage, with one figure, for the knit chart. */
function buildStages(
  piece: Piece,
  heads: Heads,
  scans: ScanView[],
  artifacts: Map<string, Artifact>,
  stepOf: Map<string, Step>,
  steps: Step[],
): StageState[] {
  const current = new Set(Object.values(heads.clouds));
  // What only moved along with the piece is still what it was.
  for (const kind of ['placements', 'trust'] as const)
    for (let at = heads[kind]; at;) {
      current.add(at);
      const step: Step | undefined = stepOf.get(artifacts.get(at)?.stepId ?? '');
      const stayed = step && operationOf(step)?.movesNothing;
      at = stayed ? step?.inputs.find((i) => artifacts.get(i)?.kind === kind) : undefined;
    }
  // A result is up to date if all it was made from is current, or was itself made from what is current.
  const fresh = (artifactId: string): boolean => {
    const a = artifacts.get(artifactId);
    const step = a?.stepId ? stepOf.get(a.stepId) : undefined;
    if (!step) return true;
    // A surface made of scans before anything was said of which count where does not go by it.
    const operation = operationOf(step);
    const goesByTrust = a?.kind === 'mesh' && operation?.needs.includes('scans') && operation.uses?.includes('trust');
    if (goesByTrust && heads.trust && !step.inputs.some((i) => artifacts.get(i)?.kind === 'trust')) return false;
    const fromClouds = step.inputs.some((input) => artifacts.get(input)?.kind === 'cloud');
    return step.inputs.every((input) => {
      const kind = artifacts.get(input)?.kind;
      // Frames never change, and what was measured on a surface does not make another.
      if (kind === 'frames' || kind === 'dimensions' || kind === 'deviation' || kind === 'placings') return true;
      if (kind === 'cloud' || kind === 'trust') return current.has(input);
      // Placements that were improved are no longer current; what counts is whether the new ones looked at the clouds.
      if (kind === 'placements' && a?.kind === 'placements') return fromClouds || fresh(input);
      if (kind === 'placements') return current.has(input) && fresh(input);
      return fresh(input);
    });
  };
  /** The steps that led to an artifact, newest first, along its meshes. */
  const lineage = (artifactId?: string): { step: Step; artifact: Artifact }[] => {
    const out: { step: Step; artifact: Artifact }[] = [];
    let at = artifactId;
    while (at) {
      const artifact = artifacts.get(at);
      const step = artifact?.stepId ? stepOf.get(artifact.stepId) : undefined;
      if (!artifact || !step) break;
      out.push({ step, artifact });
      // What moved a model as it was leads to that model; else to the surface that it was made of.
      const before = (kind: string): string | undefined => step.inputs.find((i) => artifacts.get(i)?.kind === kind);
      at = before(artifact.kind) ?? before('mesh');
    }
    return out;
  };
  const running = new Set(
    steps.filter((s) => s.status === 'running' || s.status === 'queued').map((s) => operationOf(s)?.stage),
  );
  const line = lineage(heads.model ?? heads.mesh);
  const last = (stage: Stage): { step: Step; artifact: Artifact } | undefined =>
    line.find(({ step }) => operationOf(step)?.stage === stage);
  const points = scans.reduce((n, s) => n + Number(s.cloud.facts.points ?? 0), 0);
  const registered = scans.filter((s) => s.placement.state === 'registered').length;
  const cleaned = scans.filter((s) => s.cloud.id !== s.original.id).length;
  const newest = (stage: Stage): Step | undefined =>
    steps.filter((s) => s.status === 'done' && operationOf(s)?.stage === stage).pop();

  const make = (stage: Stage, done: boolean, isFresh: boolean, figure: string, detail: string): StageState => ({
    stage,
    state: running.has(stage) ? 'running' : !done ? 'empty' : isFresh ? 'done' : 'outdated',
    figure: done ? figure : '',
    detail: done ? detail : '',
  });
  const ofStep = (stage: Stage, step: Step | undefined, isFresh: boolean): StageState => {
    const cell = step && operationOf(step)?.cell?.(step.figures ?? {});
    return make(stage, Boolean(step), isFresh, cell?.figure ?? '', cell?.detail ?? '');
  };
  const ofSurface = (stage: Stage): StageState => {
    const found = last(stage);
    return ofStep(stage, found?.step, found ? fresh(found.artifact.id) : true);
  };
  const setups = new Set(scans.map((s) => s.setup)).size;
  const inspected = newest('check');
  const ofCurrent = (step?: Step): boolean => isOf(step, heads.mesh);
  const delivered = newest('deliver');
  const deliveredFresh = delivered?.inputs.some((i) => artifacts.get(i)?.kind === 'mesh')
    ? ofCurrent(delivered)
    : Boolean(delivered?.inputs.every((i) => artifacts.get(i)?.kind !== 'cloud' || current.has(i)));
  const table: Record<Stage, StageState> = {
    plan: make('plan', piece.plan !== null, true, piece.plan ? `${piece.plan.size} mm` : '', piece.plan?.kind ?? ''),
    capture: make(
      'capture',
      scans.length > 0,
      true,
      `${scans.length} scans`,
      `${setups} setup${setups === 1 ? '' : 's'}`,
    ),
    clean: make('clean', cleaned > 0, true, `${shortCountText(points)} points`, `${cleaned} of ${scans.length}`),
    register: make(
      'register',
      registered > 0,
      heads.placements ? fresh(heads.placements) : true,
      `${registered} of ${scans.length}`,
      '',
    ),
    fuse: ofSurface('fuse'),
    mend: ofSurface('mend'),
    texture: ofSurface('texture'),
    check: ofStep('check', inspected, ofCurrent(inspected)),
    deliver: ofStep('deliver', delivered, deliveredFresh),
  };
  return STAGES.map((s) => table[s]);
}
