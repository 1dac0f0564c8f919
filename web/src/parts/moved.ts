/** A figure, or before and after where a draft moves it. */
export function moved(before: number | undefined, now: number, told: (v: number) => string) {
  return before === undefined || told(before) === told(now) ? told(now) : `${told(before)} → ${told(now)}`;
}
