/** The field of one decision: label, unit and bounds come from the core, the value from the piece. */
import { useDecision, type Change, type Detail, type Schemas } from "../api/client";
import { LengthField, NumberField } from "./Fields";

type Decided = Schemas["Decided"];
type Numeric = { [K in keyof Decided]: Decided[K] extends number | null ? K : never }[keyof Decided];

interface Props {
  of: Numeric;
  piece: Detail;
  change: (change: Change) => void;
  width: number;
  /** What holds where nothing is decided. */
  usual?: number;
}

export function DecisionField({ of, piece, change, width, usual }: Props) {
  const known = useDecision(of);
  const value = piece.recipe[of];
  if (!known) return null;
  const shown = {
    label: known.label,
    optional: known.optional && usual === undefined,
    width,
    onCommit: (v: number | null) => (v !== null || known.optional) && change({ [of]: v }),
  };
  if (known.unit === "mm") return <LengthField {...shown} least={known.least} most={known.most} value={value ?? usual ?? null} />;
  const factor = known.unit === "share" ? 100 : 1;
  const times = (v: number | null) => (v === null ? null : Number((factor * v).toFixed(2)));
  return (
    <NumberField
      {...shown}
      suffix={known.unit === "share" ? "%" : known.unit === "deg" ? "°" : undefined}
      least={times(known.least)}
      most={times(known.most)}
      value={times(value ?? usual ?? null)}
      onCommit={(v) => shown.onCommit(v === null ? null : v / factor)}
    />
  );
}
