/** The one place where numbers become text. */
import { createContext, useContext } from "react";
import type { Said, Schemas } from "../api/client";

export type UnitSystem = "mm" | "in";
export const UnitsContext = createContext<UnitSystem>("mm");

const number = (value: number, digits: number) =>
  value.toLocaleString("en-GB", { minimumFractionDigits: digits, maximumFractionDigits: digits }).replace("-", "−");

const day = (date: Date) => date.toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short" });

type Quantity = Schemas["Quantity"];

const by = (factor: number, word: string, inches?: [number, number, string]) => ({
  number: (v: number, digits: number, inch: boolean) =>
    inch && inches ? number(v * inches[0], digits + inches[1]) : number(v * factor, digits),
  word: (inch: boolean) => (inch && inches ? inches[2] : word),
});

/** How each kind of quantity stands in a sentence. */
const IN_SENTENCE: Record<Quantity["unit"], ReturnType<typeof by>> = {
  mm: by(1, " mm", [1 / 25.4, 2, " in"]),
  mm2: by(1, " mm²", [1 / 645.16, 2, " in²"]),
  cm2: by(1e-2, " cm²", [1 / 645.16, 1, " in²"]),
  mm3: by(1e-3, " cm³", [1 / 16387.064, 1, " in³"]),
  share: by(100, " %"),
  g: by(1, " g"),
  h: by(1, " h"),
  count: by(1, ""),
  deg: by(1, "°"),
};

export function formats(system: UnitSystem) {
  const inch = system === "in";
  const unit = inch ? "in" : "mm";
  const plainLength = (mm: number, digits = 0) => number(inch ? mm / 25.4 : mm, inch ? digits + 2 : digits);
  const quantity = (q: Quantity) =>
    `${q.values.map((v) => IN_SENTENCE[q.unit].number(v, q.digits, inch)).join(q.between)}${IN_SENTENCE[q.unit].word(inch)}`;
  return {
    unit,
    quantity,
    /** A sentence of the site's, its lengths in the maker's unit. */
    say: (said: Said) => said.words.replace(/\{(\d+)\}/g, (_, i: string) => quantity(said.values[Number(i)])),
    plainLength,
    length: (mm: number, digits = 0) => `${plainLength(mm, digits)} ${unit}`,
    size: (mm: readonly number[]) => `${mm.map((v) => plainLength(v)).join(" × ")} ${unit}`,
    /** The value of an input field: no grouping. */
    field: (mm: number) => String(Number((inch ? mm / 25.4 : mm).toFixed(inch ? 3 : 2))),
    fromField: (value: number) => (inch ? value * 25.4 : value),
    percent: (share: number, digits = 1) => `${number(100 * share, digits)} %`,
    hours: (h: number) => (h < 10 ? `${number(h, 1)} h` : `${number(h, 0)} h`),
    minutes: (m: number) => (m < 1 ? "under 1 min" : m < 100 ? `${number(m, 0)} min` : `${number(m / 60, 1)} h`),
    millilitres: (ml: number) => `${number(ml, ml < 10 ? 1 : 0)} ml`,
    cm2: (mm2: number) => (inch ? `${number(mm2 / 645.16, 1)} in²` : `${number(mm2 / 100, mm2 < 1000 ? 1 : 0)} cm²`),
    grams: (g: number) => (g >= 10_000 ? `${number(g / 1000, 1)} kg` : `${number(g, 0)} g`),
    metres: (m: number) => `${number(m, 0)} m`,
    money: (amount: number, currency: string) => `${currency} ${number(amount, 2)}`,
    count: (n: number, one: string, many = `${one}s`) => `${number(n, 0)} ${n === 1 ? one : many}`,
    thousands: (n: number) => (n >= 10_000 ? `${number(n / 1000, 0)} k` : number(n, 0)),
    area: (mm2: number) => (inch ? `${number(mm2 / 645.16, 2)} in²` : `${number(mm2, 0)} mm²`),
    volume: (mm3: number) => (inch ? `${number(mm3 / 16387.064, 1)} in³` : `${number(mm3 / 1000, 0)} cm³`),
    date: (iso: string) => day(new Date(iso)),
    moment: (iso: string) => `${day(new Date(iso))}, ${new Date(iso).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}`,
    plain: number,
  };
}

export const useUnits = () => formats(useContext(UnitsContext));
