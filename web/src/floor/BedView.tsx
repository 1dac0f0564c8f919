/** A plate from above, at the front of its bed: parts are dragged and turned, or moved in numbers. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { useRef, useState, type PointerEvent } from "react";
import type { Floor, Plate } from "./useFloor";

type Bed = Floor["beds"][number];

export interface Spot {
  turn_deg: number;
  x_mm: number;
  y_mm: number;
}

interface Props {
  bed: Bed;
  plate: Plate;
  chosen: string | null;
  onChoose: (part: string) => void;
  onMove: (part: string, to: Spot) => void;
}

/** Letters are as large as the bed allows. */
const LETTER = 0.045;

export function BedView({ bed, plate, chosen, onChoose, onMove }: Props) {
  const { inks } = useTheme().palette;
  const svg = useRef<SVGSVGElement>(null);
  const [drag, setDrag] = useState<{ part: string; from: DOMPoint; dx: number; dy: number } | null>(null);
  const rim = 0.04 * Math.max(bed.x_mm, bed.y_mm);
  const here = (e: PointerEvent) => new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.current!.getScreenCTM()!.inverse());
  const letter = LETTER * Math.max(bed.x_mm, bed.y_mm);
  return (
    <Box
      component="svg"
      ref={svg}
      viewBox={`${-bed.x_mm / 2 - rim} ${-bed.y_mm / 2 - rim} ${bed.x_mm + 2 * rim} ${bed.y_mm + 2 * rim}`}
      role="group"
      aria-label={`${plate.name} from above`}
      sx={{ width: "100%", height: "100%", touchAction: "none", display: "block" }}
      onPointerMove={(e: PointerEvent) => {
        if (!drag) return;
        const to = here(e);
        setDrag({ ...drag, dx: to.x - drag.from.x, dy: to.y - drag.from.y });
      }}
      onPointerUp={() => {
        const part = drag && plate.parts.find((p) => p.name === drag.part);
        if (drag && part && Math.hypot(drag.dx, drag.dy) > 0.5)
          onMove(part.name, { turn_deg: part.turn_deg, x_mm: part.x_mm + drag.dx, y_mm: part.y_mm - drag.dy });
        setDrag(null);
      }}
    >
      <rect
        x={-bed.x_mm / 2}
        y={-bed.y_mm / 2}
        width={bed.x_mm}
        height={bed.y_mm}
        fill={inks.night}
        stroke={inks.ink}
        strokeWidth={bed.x_mm / 250}
      />
      <path d={bed.usable} fill={inks.sheet} fillRule="evenodd" stroke={inks.line} strokeWidth={bed.x_mm / 400} />
      <text x={0} y={bed.y_mm / 2 + rim * 0.8} fontSize={rim * 0.7} textAnchor="middle" fill={inks.faint}>
        front
      </text>
      {plate.parts.map((p, i) => {
        const moved = drag?.part === p.name ? `translate(${drag.dx} ${drag.dy})` : undefined;
        const bad = plate.wrong.includes(p.name);
        const at = middleOf(p.drawn);
        return (
          <g
            key={`${p.piece}/${p.part}`}
            transform={moved}
            role="button"
            tabIndex={0}
            aria-pressed={p.name === chosen}
            aria-label={`${p.piece_name}, ${p.name}${bad ? ": meets another" : ""}`}
            style={{ cursor: "grab" }}
            onPointerDown={(e) => {
              (e.currentTarget as Element).setPointerCapture?.(e.pointerId);
              onChoose(p.name);
              setDrag({ part: p.name, from: here(e), dx: 0, dy: 0 });
            }}
            onKeyDown={(e) => {
              const step = e.shiftKey ? 10 : 1;
              const by: Record<string, Spot> = {
                ArrowLeft: { turn_deg: 0, x_mm: -step, y_mm: 0 },
                ArrowRight: { turn_deg: 0, x_mm: step, y_mm: 0 },
                ArrowUp: { turn_deg: 0, x_mm: 0, y_mm: step },
                ArrowDown: { turn_deg: 0, x_mm: 0, y_mm: -step },
                r: { turn_deg: 15, x_mm: 0, y_mm: 0 },
              };
              const move = by[e.key];
              if (e.key === "Enter") onChoose(p.name);
              if (!move) return;
              e.preventDefault();
              e.stopPropagation();
              onMove(p.name, { turn_deg: p.turn_deg + move.turn_deg, x_mm: p.x_mm + move.x_mm, y_mm: p.y_mm + move.y_mm });
            }}
          >
            <path
              d={p.drawn}
              fillRule="evenodd"
              fill={p.name === chosen ? inks.chosen : inks.parts[i % inks.parts.length]}
              stroke={bad ? inks.stops : inks.ink}
              strokeWidth={bad ? bed.x_mm / 110 : bed.x_mm / 400}
            />
            <text
              x={at[0]}
              y={at[1] + letter * 0.35}
              fontSize={letter}
              textAnchor="middle"
              fill={p.name === chosen ? inks.paper : "#1f2a33"}
              fontWeight={600}
            >
              {p.letter}
            </text>
          </g>
        );
      })}
    </Box>
  );
}

/** About the middle of a drawn outline. */
export function middleOf(path: string): [number, number] {
  const numbers = path.match(/-?\d+(\.\d+)?/g)?.map(Number) ?? [0, 0];
  const [x, y] = [0, 1].map((k) => numbers.filter((_, i) => i % 2 === k));
  return [(Math.min(...x) + Math.max(...x)) / 2, (Math.min(...y) + Math.max(...y)) / 2];
}

/** The same small, to choose from and for the log. */
export function BedPicture({
  usable,
  x,
  y,
  drawn,
  size,
  label,
  bad = [],
}: {
  usable: string;
  x: number;
  y: number;
  drawn: string[];
  size: number;
  label: string;
  bad?: number[];
}) {
  const { inks } = useTheme().palette;
  return (
    <svg viewBox={`${-x / 2} ${-y / 2} ${x} ${y}`} width={size} height={size} role="img" aria-label={label}>
      <path d={usable} fill={inks.sheet} stroke={inks.line} strokeWidth={x / 120} fillRule="evenodd" />
      {drawn.map((d, i) => (
        <path key={i} d={d} fillRule="evenodd" fill={bad.includes(i) ? inks.stops : inks.faint} stroke={inks.ink} strokeWidth={x / 260} />
      ))}
    </svg>
  );
}
