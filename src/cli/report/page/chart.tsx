import { useEffect, useRef } from 'preact/hooks';
import UPlot from 'uplot';
import { shade } from './format.js';

/** How a kind of point is drawn: told apart by colour and by shape. */
export interface PointKind {
  name: string;
  /** A custom property of the style sheet. */
  colour: string;
  shape: 'circle' | 'diamond' | 'square';
}

export interface Point {
  x: number;
  y: number;
  kind: number;
  /** What a click opens. */
  id: number;
  /** What is told where the mouse rests. */
  title: string;
}

interface ChartProps {
  /** What the picture shows, for who does not see it. */
  label: string;
  points: readonly Point[];
  kinds: readonly PointKind[];
  unit: (value: number) => string;
  height: number;
  isLogarithmic?: boolean;
  onPick: (id: number) => void;
  /** A stretch of time that was drawn over with the mouse; undefined when it was taken back. */
  onRange?: (range: [number, number] | undefined) => void;
  theme: string;
}

const RADIUS = 4;
/** Pixels around a point that are taken for it. */
const NEAR = 14;

/** Points over time. */
export function Chart(props: ChartProps) {
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = box.current;
    if (element === null || props.points.length === 0) {
      return undefined;
    }
    const points = [...props.points].sort((one, other) => one.x - other.x);
    const plot = new UPlot(optionsOf(props, points, element), dataOf(points), element);
    const resize = new ResizeObserver(() =>
      plot.setSize({ width: element.clientWidth, height: props.height }),
    );
    resize.observe(element);
    return () => {
      resize.disconnect();
      plot.destroy();
    };
  }, [props.points, props.theme, props.isLogarithmic]);
  return (
    <div
      ref={box}
      class="chart"
      role="img"
      aria-label={props.label}
      style={{ minHeight: `${props.height}px` }}
    />
  );
}

function dataOf(points: readonly Point[]): UPlot.AlignedData {
  return [points.map(({ x }) => x), points.map(({ y }) => y)];
}

function optionsOf(props: ChartProps, points: readonly Point[], element: HTMLElement): UPlot.Options {
  const axis = {
    stroke: shade('--faint'),
    grid: { stroke: shade('--line'), width: 1 },
    ticks: { stroke: shade('--line') },
  };
  return {
    width: element.clientWidth,
    height: props.height,
    legend: { show: false },
    scales: {
      x: { time: false, range: (_, low, high) => padded(low, high) },
      y: props.isLogarithmic ? { distr: 3 } : {},
    },
    axes: [
      { ...axis, values: (_, ticks) => ticks.map((tick) => `${tick} s`) },
      {
        ...axis,
        size: 70,
        values: (_, ticks) => ticks.map((tick) => (tick === null ? '' : props.unit(tick))),
      },
    ],
    series: [{}, { stroke: 'transparent', points: { show: false } }],
    cursor: { points: { show: false }, drag: { x: props.onRange !== undefined, y: false, setScale: false } },
    hooks: {
      draw: [(plot) => drawPoints(plot, points, props.kinds)],
      setSelect: [
        (plot) => {
          const { left, width } = plot.select;
          props.onRange?.(
            width > 4 ? [plot.posToVal(left, 'x'), plot.posToVal(left + width, 'x')] : undefined,
          );
        },
      ],
      setCursor: [(plot) => plot.over.setAttribute('title', nearest(plot, points)?.title ?? '')],
      ready: [
        (plot) =>
          plot.over.addEventListener('click', () => {
            const near = nearest(plot, points);
            if (near !== undefined) {
              props.onPick(near.id);
            }
          }),
      ],
    },
  };
}

/** A little more on both sides, so that the outermost points are whole. */
function padded(low: number, high: number): [number, number] {
  const more = Math.max((high - low) * 0.015, 0.001);
  return [low - more, high + more];
}

function nearest(plot: UPlot, points: readonly Point[]): Point | undefined {
  const { left = -1, top = -1 } = plot.cursor;
  let best: Point | undefined;
  let least = NEAR;
  for (const point of points) {
    const distance = Math.hypot(plot.valToPos(point.x, 'x') - left, plot.valToPos(point.y, 'y') - top);
    if (distance < least) {
      least = distance;
      best = point;
    }
  }
  return best;
}

function drawPoints(plot: UPlot, points: readonly Point[], kinds: readonly PointKind[]): void {
  const { ctx } = plot;
  const ratio = devicePixelRatio;
  ctx.save();
  ctx.beginPath();
  ctx.rect(plot.bbox.left, plot.bbox.top, plot.bbox.width, plot.bbox.height);
  ctx.clip();
  kinds.forEach((kind, index) => {
    ctx.fillStyle = shade(kind.colour);
    ctx.beginPath();
    for (const point of points) {
      if (point.kind === index) {
        const x = plot.valToPos(point.x, 'x', true);
        const y = plot.valToPos(point.y, 'y', true);
        trace(ctx, kind.shape, x, y, RADIUS * ratio);
      }
    }
    ctx.fill();
  });
  ctx.restore();
}

function trace(
  ctx: CanvasRenderingContext2D,
  shape: PointKind['shape'],
  x: number,
  y: number,
  radius: number,
): void {
  switch (shape) {
    case 'circle':
      ctx.moveTo(x + radius, y);
      ctx.arc(x, y, radius, 0, 2 * Math.PI);
      break;
    case 'square':
      ctx.rect(x - radius * 0.8, y - radius * 0.8, radius * 1.6, radius * 1.6);
      break;
    case 'diamond':
      ctx.moveTo(x, y - radius * 1.5);
      ctx.lineTo(x + radius * 1.5, y);
      ctx.lineTo(x, y + radius * 1.5);
      ctx.lineTo(x - radius * 1.5, y);
      ctx.closePath();
      break;
  }
}
