import { useMemo } from 'react';
import { useNavigate } from 'react-router';
import { curveBasis, line, scalePoint } from 'd3';
import type { PieceView, ScanView, Stage } from '@amber-knit/contracts';
import { STAGES, stageOf } from '../app/stages';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { GlyphShape, stateWord, type GlyphState } from '../shared/state-glyph';
import { strandColor } from '../shared/strand-colors';
import { chartHeight, layoutRows, middleOf, type Row } from './chart-layout';

const WIDTH = 1210;
const LEFT = 262;

/** Strands of the scans running through the stages until they are knitted into one. */
export function KnitChart({ piece }: { piece: PieceView }) {
  const navigate = useNavigate();
  const x = useMemo(
    () =>
      scalePoint<Stage>(
        STAGES.map(({ id }) => id),
        [LEFT, WIDTH - 52],
      ),
    [],
  );
  const rows = useMemo(() => layoutRows(piece), [piece]);
  const middle = middleOf(rows);
  const height = chartHeight(rows);
  const go = (stage: Stage): void => void navigate(`/pieces/${piece.id}/bench/${stage}`);
  const running = piece.stages.find((s) => s.state === 'running');
  // With scans there, nobody goes back to plan them.
  const passed = (stage: Stage): boolean => stage === 'clean' || (stage === 'plan' && piece.scans > 0);
  const current = (running ?? piece.stages.find((s) => s.state === 'empty' && !passed(s.stage)))?.stage ?? 'deliver';
  const state = (stage: Stage) => piece.stages.find((s) => s.stage === stage)!;
  const merged = STAGES.slice(4).map(({ id }) => id);

  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="block w-full"
      role="group"
      aria-label="Knit chart: scans as strands through the stages"
    >
      <rect x={x(current)! - 14} y={56} width={28} height={height - 76} rx={14} fill="var(--sunk)" />
      {STAGES.map(({ id, name }) => (
        <g key={id}>
          <line x1={x(id)} x2={x(id)} y1={58} y2={height - 22} stroke="var(--line)" />
          <a
            href={`/pieces/${piece.id}/bench/${id}`}
            onClick={(e) => {
              e.preventDefault();
              go(id);
            }}
          >
            <text
              x={x(id)}
              y={42}
              textAnchor="middle"
              fontSize={13}
              fontWeight={600}
              fill={id === current ? 'var(--amber)' : 'var(--ink)'}
            >
              {name}
            </text>
          </a>
        </g>
      ))}
      {rows.map(({ y, scan, heading }) => (
        <Strand key={scan.id} y={y} scan={scan} heading={heading} x={x} middle={middle} onGo={go} />
      ))}
      {rows.length > 0 && <Braid rows={rows} x={x} middle={middle} fused={state('fuse').state !== 'empty'} />}
      <Crossing
        x={x('plan')!}
        y={middle}
        state={state('plan').state}
        color="var(--ink)"
        radius={7}
        label={`Plan: ${state('plan').figure || 'not yet'}`}
        lines={[state('plan').figure]}
        onGo={() => go('plan')}
      />
      {rows.length > 0 &&
        merged.map((id) => {
          const s = state(id);
          return (
            <Crossing
              key={id}
              x={x(id)!}
              y={middle}
              state={s.state}
              color="var(--ink)"
              radius={9}
              aside={id === 'fuse'}
              label={`${stageOf(id)?.name}: ${stateWord(s.state)} ${s.figure} ${s.detail}`}
              lines={[s.figure, s.detail]}
              onGo={() => go(id)}
            />
          );
        })}
    </svg>
  );
}

type XScale = (stage: Stage) => number | undefined;

function Strand({
  y,
  scan,
  heading,
  x,
  middle,
  onGo,
}: {
  y: number;
  scan: ScanView;
  heading?: string;
  x: XScale;
  middle: number;
  onGo: (s: Stage) => void;
}) {
  const color = strandColor(scan.colorIndex);
  const cleaned = scan.cloud.id !== scan.original.id;
  const placed = scan.placement.state;
  const wave = line<[number, number]>().curve(curveBasis);
  const points: [number, number][] = [];
  const from = x('capture')!;
  const to = x('register')!;
  for (let i = 0; i <= 16; i++)
    points.push([
      from + ((to - from) * i) / 16,
      y + (i % 2 === 0 || i === 0 || i === 16 ? 0 : (i % 4 === 1 ? 1 : -1) * 3),
    ]);
  const end = x('fuse')!;
  const bend = `M${to} ${y}C${to + 70} ${y} ${end - 62} ${middle} ${end} ${middle}`;
  const joined = placed === 'registered';
  return (
    <g>
      {heading && (
        <text x={18} y={y - 24} fontSize={12} fontWeight={600} fill="var(--muted)">
          {heading}
        </text>
      )}
      <text x={18} y={y - 1} fontSize={13} fill="var(--ink)">
        {scan.name}
      </text>
      <text x={18} y={y + 16} fontSize={11} fill="var(--muted)" className="num">
        {scan.frames > 0 ? `${scan.frames} frames` : 'from a file'}
      </text>
      <path d={wave(points) ?? ''} fill="none" stroke={color} strokeWidth={3} />
      <path
        d={bend}
        fill="none"
        stroke={color}
        strokeWidth={3}
        strokeLinecap="round"
        strokeDasharray={joined ? undefined : '2 7'}
        opacity={joined ? 1 : 0.7}
      />
      <Crossing
        x={from}
        y={y}
        state="done"
        color={color}
        radius={6}
        label={`${scan.name}, captured: ${shortCountText(Number(scan.original.facts.points))} points`}
        lines={[shortCountText(Number(scan.original.facts.points))]}
        onGo={() => onGo('capture')}
      />
      <Crossing
        x={x('clean')!}
        y={y}
        state={cleaned ? 'done' : 'empty'}
        color={color}
        radius={6}
        label={`${scan.name}, ${cleaned ? 'cleaned' : 'not cleaned'}`}
        lines={[cleaned ? shortCountText(Number(scan.cloud.facts.points)) : '–']}
        onGo={() => onGo('clean')}
      />
      <Crossing
        x={to}
        y={y}
        state={placed}
        color={color}
        radius={6}
        label={`${scan.name}, ${stateWord(placed)}${scan.placement.residual !== undefined ? `, residual ${scan.placement.residual.toFixed(3)} mm` : ''}`}
        lines={[scan.placement.residual !== undefined ? `${scan.placement.residual.toFixed(3)} mm` : placed]}
        onGo={() => onGo('register')}
      />
    </g>
  );
}

/** The strands wound around each other from Fuse onwards. */
function Braid({ rows, x, middle, fused }: { rows: Row[]; x: XScale; middle: number; fused: boolean }) {
  const from = x('fuse')!;
  const to = x('deliver')!;
  const wave = line<[number, number]>().curve(curveBasis);
  return (
    <g opacity={fused ? 1 : 0.35}>
      {rows.map(({ scan }, i) => {
        const points: [number, number][] = [];
        for (let k = 0; k <= 60; k++) {
          const t = k / 60;
          const swing =
            Math.sin(t * Math.PI * 12 + (i * 2 * Math.PI) / rows.length) * 7 * Math.min(1, 8 * t, 8 * (1 - t));
          points.push([from + (to - from) * t, middle + swing]);
        }
        return (
          <path
            key={scan.id}
            d={wave(points) ?? ''}
            fill="none"
            stroke={strandColor(scan.colorIndex)}
            strokeWidth={2.2}
            strokeDasharray={fused ? undefined : '3 6'}
          />
        );
      })}
    </g>
  );
}

function Crossing({
  x,
  y,
  state,
  color,
  radius,
  label,
  lines,
  aside = false,
  onGo,
}: {
  x: number;
  y: number;
  state: GlyphState;
  color: string;
  radius: number;
  label: string;
  lines: string[];
  aside?: boolean;
  onGo: () => void;
}) {
  return (
    <g
      transform={`translate(${x} ${y})`}
      role="link"
      tabIndex={0}
      aria-label={label}
      className="cursor-pointer outline-offset-4"
      onClick={onGo}
      onKeyDown={(e) => e.key === 'Enter' && onGo()}
    >
      <circle r={16} fill="transparent" />
      <GlyphShape state={state} radius={radius} color={color} />
      {lines.filter(Boolean).map((text, i) => (
        <text
          key={i}
          x={aside ? 8 : 0}
          y={radius + 16 + 15 * i + (aside ? 6 : 0)}
          style={{ fontSize: i === 0 ? 11.5 : 10.5 }}
          textAnchor={aside ? 'start' : 'middle'}
          fill={i === 0 ? 'var(--ink)' : 'var(--muted)'}
          className="num"
          stroke="var(--panel)"
          strokeWidth={3}
          paintOrder="stroke"
        >
          {text}
        </text>
      ))}
    </g>
  );
}
