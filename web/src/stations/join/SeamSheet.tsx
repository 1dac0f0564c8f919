/** A cut face drawn flat at the size of the sheet, with what holds it; what can be moved is drawn along by hand or by the arrow keys. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { useUnits } from "../../parts/units";
import { inSpace, type Trying } from "./trying";

type Seam = Schemas["SeamRecord"];

interface Props {
  seam: Seam;
  /** Small, to choose from. */
  small?: boolean;
  trying?: Trying | null;
  chosen?: number | null;
  onChoose?: (index: number | null) => void;
  onMove?: (index: number, at: [number, number, number], done: boolean) => void;
  /** A step to the right and down, in mm. */
  onNudge?: (index: number, by: [number, number]) => void;
}

const STEP_MM = 1;

export function SeamSheet({ seam, small = false, trying, chosen = null, onChoose, onMove, onNudge }: Props) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<number | null>(null);
  const [x, y, w, h] = seam.box;
  const rim = Math.max(w, h) * 0.04 + 3;
  const line = Math.max(w, h) * 0.0022;
  const grid = Math.max(w, h) > 120 ? 20 : 10;
  const moving = trying?.seam === seam.id ? trying : null;

  const at = (e: React.PointerEvent): [number, number, number] | null => {
    const matrix = svg.current?.getScreenCTM();
    if (!matrix) return null;
    const place = new DOMPoint(e.clientX, e.clientY).matrixTransform(matrix.inverse());
    return inSpace(seam, place.x, place.y);
  };
  const key = (e: React.KeyboardEvent, index: number) => {
    const step = e.shiftKey ? 5 * STEP_MM : STEP_MM;
    const by: Record<string, [number, number]> = {
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
      ArrowUp: [0, -step],
      ArrowDown: [0, step],
    };
    const way = by[e.key];
    if (!way) return;
    e.preventDefault();
    e.stopPropagation();
    onNudge?.(index, way);
  };
  return (
    <svg
      ref={svg}
      viewBox={`${x - rim} ${y - rim} ${w + 2 * rim} ${h + 2 * rim}`}
      width="100%"
      height="100%"
      role={onMove ? "group" : "img"}
      aria-label={`Cut face between ${seam.letters.replace("-", " and ")}, flat`}
      style={{ display: "block", touchAction: onMove ? "none" : undefined, background: inks.sheet }}
    >
      {!small && <path d={squares(x - rim, y - rim, w + 2 * rim, h + 2 * rim, grid)} stroke={inks.line} strokeWidth={line} />}
      <path d={seam.face} fill={inks.parts[0]} stroke={inks.ink} strokeWidth={line * (small ? 4 : 2)} fillRule="evenodd" />
      {seam.joints.map((joint, i) => {
        const shown = moving?.index === i && moving.tried ? moving.tried.drawn : joint.drawn;
        return (
          <g key={i} opacity={moving?.index === i && !moving.tried ? 0.5 : 1}>
            {shown.map((d, k) => (
              <path
                key={k}
                d={d.path}
                fillRule="evenodd"
                fill={d.tone === "grown" ? inks.tight : inks.sheet}
                fillOpacity={d.tone === "grown" ? 0.5 : 1}
                stroke={i === chosen ? inks.chosen : inks.ink}
                strokeWidth={line * (i === chosen ? 3.5 : 2)}
                strokeDasharray={moving?.index === i ? `${line * 6} ${line * 4}` : undefined}
              />
            ))}
            {!small && joint.sizes.pole !== undefined && (
              <text
                x={joint.flat_mm[0]}
                y={joint.flat_mm[1] - joint.sizes.diameter_below_mm / 2 - rim * 0.6}
                fontSize={rim * 0.75}
                textAnchor="middle"
                dominantBaseline="central"
                fill={inks.ink}
                style={{ pointerEvents: "none" }}
              >
                {joint.sizes.number} {joint.sizes.pole > 0 ? "+" : "−"}
              </text>
            )}
          </g>
        );
      })}
      {!small &&
        onMove &&
        seam.joints.map((joint, i) => {
          const [u, v] = moving?.index === i && moving.tried ? moving.tried.flat_mm : joint.flat_mm;
          return joint.movable ? (
            <circle
              key={i}
              cx={u}
              cy={v}
              r={rim * 0.55}
              fill="transparent"
              stroke={i === chosen ? inks.chosen : inks.faint}
              strokeWidth={line * 1.5}
              strokeDasharray={`${line * 5} ${line * 5}`}
              style={{ cursor: held === i ? "grabbing" : "grab" }}
              tabIndex={0}
              role="button"
              aria-label={`${joint.kind} ${i + 1} of ${seam.letters}: move with the arrow keys`}
              onFocus={() => onChoose?.(i)}
              onKeyDown={(e) => key(e, i)}
              onPointerDown={(e) => {
                e.currentTarget.setPointerCapture(e.pointerId);
                setHeld(i);
                onChoose?.(i);
              }}
              onPointerMove={(e) => {
                const to = held === i ? at(e) : null;
                if (to) onMove(i, to, false);
              }}
              onPointerUp={(e) => {
                const to = held === i && moving ? at(e) : null;
                setHeld(null);
                if (to) onMove(i, to, true);
              }}
            />
          ) : null;
        })}
      {!small && <Scale x={x - rim + grid * 0.2} y={y + h + rim * 0.8} mm={grid} words={units.length(grid)} line={line} />}
    </svg>
  );
}

/** Lines of a grid over a box, as one path. */
function squares(x: number, y: number, w: number, h: number, step: number): string {
  const from = (low: number, size: number) =>
    Array.from({ length: Math.floor((low + size) / step) - Math.ceil(low / step) + 1 }, (_, i) => (Math.ceil(low / step) + i) * step);
  return [...from(x, w).map((at) => `M${at},${y}v${h}`), ...from(y, h).map((at) => `M${x},${at}h${w}`)].join("");
}

function Scale({ x, y, mm, words, line }: { x: number; y: number; mm: number; words: string; line: number }) {
  const { inks } = useTheme().palette;
  return (
    <g>
      <line x1={x} x2={x + mm} y1={y} y2={y} stroke={inks.ink} strokeWidth={line * 3} />
      <text x={x + mm + line * 6} y={y + line * 4} fontSize={line * 14} fill={inks.faint}>
        {words}
      </text>
    </g>
  );
}

interface StripProps {
  seams: Seam[];
  chosen: string;
  onChoose: (id: string) => void;
  /** Entries beside the seams: what is chosen by them, and their words. */
  extra?: (readonly [string, string])[];
}

/** All seams to choose from, each with its number, its parts and what holds it. */
export function SeamStrip({ seams, chosen, onChoose, extra = [] }: StripProps) {
  const { inks } = useTheme().palette;
  const units = useUnits();
  return (
    <Box role="listbox" aria-label="Seams" sx={{ display: "flex", overflowX: "auto", borderTop: `1px solid ${inks.line}`, flex: "none" }}>
      {extra.map(([id, words]) => (
        <Box
          key={id}
          component="button"
          role="option"
          aria-selected={chosen === id}
          onClick={() => onChoose(id)}
          sx={{
            flex: "none",
            width: 116,
            minHeight: 72,
            p: 0.75,
            border: 0,
            borderRight: `1px solid ${inks.line}`,
            borderTop: `3px solid ${chosen === id ? inks.chosen : "transparent"}`,
            background: chosen === id ? inks.sheet : "transparent",
            color: inks.ink,
            font: "inherit",
            fontWeight: 600,
            cursor: "pointer",
          }}
        >
          {words}
        </Box>
      ))}
      {seams.map((s) => (
        <Box
          key={s.id}
          component="button"
          role="option"
          aria-selected={s.id === chosen}
          aria-label={`Seam ${s.number}, ${s.letters.replace("-", " to ")}`}
          onClick={() => onChoose(s.id)}
          sx={{
            flex: "none",
            width: 116,
            p: 0.75,
            border: 0,
            borderRight: `1px solid ${inks.line}`,
            borderTop: `3px solid ${s.id === chosen ? inks.chosen : "transparent"}`,
            background: s.id === chosen ? inks.sheet : "transparent",
            color: inks.ink,
            font: "inherit",
            textAlign: "left",
            cursor: "pointer",
          }}
        >
          <Box sx={{ height: 56 }}>
            <SeamSheet seam={s} small />
          </Box>
          <Typography variant="body2" sx={{ fontWeight: 600 }}>
            {s.number}. {s.letters.replace("-", " to ")}
          </Typography>
          <Typography variant="caption" color={s.advice.words && !s.own ? inks.tight : "text.secondary"} component="div" noWrap>
            {holds(s, units)}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}

/** What holds a seam, in two words. */
export function holds(seam: Seam, units: ReturnType<typeof useUnits>): string {
  if (!seam.joints.length) return seam.own ? "as supplied" : "glue";
  const rods = seam.joints.filter((j) => j.kind === "rod").length ? ", rod" : "";
  const own = seam.joints.filter((j) => j.kind !== "rod");
  if (!own.length) return "glue" + rods;
  const [first] = own;
  if (first.what) return first.what + rods;
  const names: Record<string, string> = { insert: "screw lug", bolt: "bolt lug", wing: "wing-nut lug" };
  return units.count(own.filter((j) => j.kind === first.kind).length, names[first.kind] ?? first.kind) + rods;
}
