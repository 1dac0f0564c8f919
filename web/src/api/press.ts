/** Presses that count once. */

/** A press of a button, by whoever pressed it: sent twice, it counts once. */
export const pressKey = () => crypto.randomUUID?.() ?? `${Date.now()}-${Math.random().toString(36).slice(2)}-${performance.now()}`;
