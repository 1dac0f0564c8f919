/** The plans that were found, side by side: each pulled apart, with what it costs and for what it is best. Choosing one lets it follow the piece. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { usePrinters, useTrade, type Change, type Detail, type Schemas } from "../../api/client";
import { PlainTable } from "../../parts/PlainTable";
import { boxOf } from "../../parts/Silhouette";
import { useUnits } from "../../parts/units";

type Plan = Schemas["Alternative"];

interface Props {
  piece: Detail;
  change: (change: Change) => void;
}

export function Plans({ piece, change }: Props) {
  const printers = usePrinters();
  const plans = piece.cut_data?.alternatives ?? [];
  if (!plans.length) return null;
  const inForce = piece.cut_data?.aim ?? null;
  const whole = piece.cut_data?.whole;
  const larger = printers.data?.find((p) => p.name === whole?.printer);
  return (
    <Stack direction="row" spacing={1.25} role="list" aria-label="Plans" sx={{ overflowX: "auto", p: 1.5, pb: 0.5 }}>
      {plans.map((plan) => (
        <PlanCard
          key={plan.aims.join()}
          plan={plan}
          least={plans[0]}
          chosen={inForce !== null && plan.aims.includes(inForce)}
          onChoose={() => change({ aim: plan.aims[0], cuts: null })}
        />
      ))}
      {whole && larger && (
        <WholeCard
          whole={whole}
          least={plans[0]}
          onChoose={() => change({ printer_ids: [...piece.recipe.printer_ids, larger.id], cuts: null })}
        />
      )}
    </Stack>
  );
}

/** What the plan in force takes of machine and hands, kind by kind, beside the plan that costs least, or the next one. */
export function Takes({ piece }: { piece: Detail }) {
  const units = useUnits();
  const aims = useTrade().data?.aims ?? {};
  const plans = piece.cut_data?.alternatives ?? [];
  const inForce = piece.cut_data?.aim;
  const chosen = plans.find((plan) => inForce && plan.aims.includes(inForce));
  if (!chosen) return null;
  const other = chosen === plans[0] ? plans[1] : plans[0];
  const columns = other ? [chosen, other] : [chosen];
  const rows: [string, (plan: Plan) => string][] = [
    ["Printing", (plan) => units.hours(plan.hours)],
    ["Taking supports off", (plan) => units.hours(plan.supports_h)],
    ["Sanding their scars", (plan) => units.hours(plan.scars_h)],
    ["Sanding stair-steps", (plan) => units.hours(plan.steps_h)],
    ["Gluing, filling seams", (plan) => units.hours(plan.seams_h)],
    ["Lost by failures", (plan) => units.hours(plan.risk_h)],
    ["Support", (plan) => units.grams(plan.support_g)],
    ["All, in printer hours", (plan) => units.hours(plan.cost_h)],
  ];
  return (
    <PlainTable label="What the plan takes" numbersFrom={2}>
      <thead>
        <tr>
          <th>Takes</th>
          {columns.map((plan) => (
            <th key={plan.aims.join()}>{plan === chosen ? "this plan" : aims[plan.aims[0]]}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, told]) => (
          <tr key={name}>
            <td>{name}</td>
            {columns.map((plan) => (
              <td key={plan.aims.join()}>{told(plan)}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </PlainTable>
  );
}

/** In one piece, where a printer that was not chosen takes it so. */
function WholeCard({ whole, least, onChoose }: { whole: Schemas["Whole"]; least: Plan; onChoose: () => void }) {
  const units = useUnits();
  const { inks } = useTheme().palette;
  const more = whole.cost_h - least.cost_h;
  return (
    <Box
      role="listitem"
      aria-label={`whole on ${whole.printer}`}
      sx={{ width: 152, flexShrink: 0, borderTop: `3px solid ${inks.line}`, pt: 0.5 }}
    >
      <Typography sx={{ fontWeight: 600, fontSize: 14, lineHeight: 1.25, minHeight: 35 }}>whole, on {whole.printer}</Typography>
      <Box sx={{ fontSize: 13, lineHeight: 1.35, minHeight: 104 }}>
        <div>no seam</div>
        <div>{units.hours(whole.hours)} printing</div>
        <div>{units.grams(whole.filament_g)}</div>
        <div>{units.hours(whole.hand_h)} of hands</div>
      </Box>
      <Stack direction="row" sx={{ alignItems: "center", minHeight: 32 }}>
        <Typography color="text.secondary" sx={{ flex: 1, fontSize: 12.5 }}>
          {more > 0 ? `costs ${units.hours(more)} more` : `costs ${units.hours(-more)} less`}
        </Typography>
        <Button size="small" onClick={onChoose} aria-label={`Print it whole on ${whole.printer}`}>
          Choose
        </Button>
      </Stack>
    </Box>
  );
}

interface CardProps {
  plan: Plan;
  least: Plan;
  chosen: boolean;
  onChoose: () => void;
}

function PlanCard({ plan, least, chosen, onChoose }: CardProps) {
  const units = useUnits();
  const aims = useTrade().data?.aims ?? {};
  const { inks } = useTheme().palette;
  const called = plan.aims.map((aim) => aims[aim]).join(", ");
  const more = plan.cost_h - least.cost_h;
  return (
    <Box
      role="listitem"
      aria-label={called}
      sx={{ width: 164, flexShrink: 0, borderTop: `3px solid ${chosen ? inks.chosen : inks.line}`, pt: 0.5 }}
    >
      <Typography sx={{ fontWeight: 600, fontSize: 14, lineHeight: 1.25, minHeight: 35 }}>{called}</Typography>
      <Stack direction="row" spacing={1}>
        <Drawing plan={plan} />
        <Box sx={{ fontSize: 12.5, lineHeight: 1.35 }}>
          <div>
            {units.count(plan.parts, "part")}
            {!plan.confirmed && ", a guess"}
          </div>
          <div>{units.hours(plan.hours)} printing</div>
          <div>{units.grams(plan.filament_g)}</div>
          <div>{units.hours(plan.hand_h)} of hands</div>
          <div>{units.plain(plan.seen_cm, 0)} cm seen</div>
          <div>done in {units.hours(plan.done_h)}</div>
        </Box>
      </Stack>
      <Stack direction="row" sx={{ alignItems: "center", minHeight: 32 }}>
        <Typography color="text.secondary" sx={{ flex: 1, fontSize: 12.5 }}>
          {more > 0.05 ? `costs ${units.hours(more)} more` : "costs least"}
        </Typography>
        {chosen ? (
          <Typography variant="body2" sx={{ fontWeight: 600 }}>
            chosen
          </Typography>
        ) : (
          <Button size="small" onClick={onChoose} aria-label={`Choose the plan: ${called}`}>
            Choose
          </Button>
        )}
      </Stack>
    </Box>
  );
}

/** Its parts pulled apart, seen from the front. */
function Drawing({ plan }: { plan: Plan }) {
  const { inks } = useTheme().palette;
  const [x, y, w, h] = boxOf(plan.pictures.join(" ")) ?? [0, 0, 1, 1];
  const rim = Math.max(w, h) * 0.03;
  return (
    <svg
      width={54}
      height={96}
      style={{ flexShrink: 0 }}
      viewBox={`${x - rim} ${y - rim} ${w + 2 * rim} ${h + 2 * rim}`}
      role="img"
      aria-label={`${plan.parts} parts pulled apart`}
    >
      {plan.pictures.map((path, k) => (
        <path key={k} d={path} fill={inks.parts[k % inks.parts.length]} stroke={inks.ink} strokeWidth={1.5} fillRule="evenodd" />
      ))}
    </svg>
  );
}
