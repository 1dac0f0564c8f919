/** Our own line drawing of where each measurement is taken; it follows the field one is in. */
import { useTheme } from "@mui/material/styles";

export function HeadFigure({ focused }: { focused: string }) {
  const { inks } = useTheme().palette;
  const on = (key: string) => ({
    stroke: focused === key ? inks.chosen : inks.line,
    strokeWidth: focused === key ? 3 : 1.5,
    fill: "none",
  });
  const head = { stroke: inks.ink, strokeWidth: 1.6, fill: inks.sheet };
  return (
    <svg viewBox="0 0 360 425" width={360} role="img" aria-label={`Where ${focused.replace(/_mm$/, "").replaceAll("_", " ")} is taken`}>
      {/* from the side */}
      <path
        d="M104 204 C104 190 102 182 98 176 C84 178 66 178 58 170 L58 154 L51 149 L54 139 L44 128 C48 118 54 112 54 98 C54 54 84 30 120 30 C164 30 186 62 184 98 C183 124 164 134 160 158 C158 178 162 194 168 204 Z"
        {...head}
      />
      <path d="M122 98 C132 94 136 108 126 116" fill="none" stroke={inks.ink} strokeWidth={1.2} />
      <g {...on("head_length_mm")}>
        <path d="M54 92 H184 M54 84 V100 M184 84 V100" />
      </g>
      <g {...on("chin_to_crown_mm")}>
        <path d="M24 30 V172 M16 30 H34 M16 172 H34" />
      </g>
      <ellipse
        cx={119}
        cy={88}
        rx={68}
        ry={13}
        {...on("head_circumference_mm")}
        strokeDasharray={focused === "head_circumference_mm" ? undefined : "4 4"}
      />
      {/* from the front */}
      <path
        d="M270 184 C250 182 238 160 236 134 C230 132 226 116 230 106 C226 60 242 32 276 32 C310 32 326 60 322 106 C326 116 322 132 316 134 C314 160 302 184 282 184 Z"
        {...head}
      />
      <path d="M258 110 h10 M286 110 h10 M276 116 v20 M266 152 q10 6 20 0" fill="none" stroke={inks.ink} strokeWidth={1.2} />
      <g {...on("head_breadth_mm")}>
        <path d="M228 74 H324 M228 62 V88 M324 62 V88" />
      </g>
      {/* the whole person */}
      <g transform="translate(180 336)">
        <path
          d="M0 -84 a9 11 0 1 1 .1 0 M-4 -62 L-20 -56 L-24 -14 M4 -62 L20 -56 L24 -14 M-14 -56 L-11 -14 L-12 76 M14 -56 L11 -14 L12 76 M0 -10 L-3 76 M0 -10 L3 76 M-12 76 h-8 M12 76 h8"
          fill="none"
          stroke={inks.ink}
          strokeWidth={1.6}
        />
        <g {...on("stature_mm")}>
          <path d="M48 -106 V77 M36 -106 H60 M36 77 H60" />
        </g>
      </g>
    </svg>
  );
}
