/** The size of something that goes inside: three sides of a box, or width and height of a round one. */
import type { Schemas } from "../api/client";
import { LengthField } from "./Fields";

interface Props {
  bay: Schemas["UsualBay"];
  onChange: (size: number[]) => void;
}

export function BaySize({ bay, onChange }: Props) {
  const [x, y, z] = bay.size_mm;
  const field = (label: string, value: number, put: (v: number) => number[]) => (
    <LengthField label={label} value={value} onCommit={(v) => v !== null && onChange(put(v))} width={96} />
  );
  if (bay.round) {
    return (
      <>
        {field("across", x, (v) => [v, v, z])}
        {field("thick", z, (v) => [x, x, v])}
      </>
    );
  }
  return (
    <>
      {field("long", x, (v) => [v, y, z])}
      {field("wide", y, (v) => [x, v, z])}
      {field("thick", z, (v) => [x, y, v])}
    </>
  );
}
