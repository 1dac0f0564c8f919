/** Talking to the site: typed calls, one kind of error, and the queries every screen shares. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import createClient from "openapi-fetch";
import { fetchOnce } from "./early";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Row = Schemas["Row"];
export type Detail = Schemas["Detail"];
export type Finding = Schemas["Finding"];
export type Note = Schemas["Note"];
export type Verdict = Finding["verdict"];
export type Change = Schemas["PatchedChangeRequest"];
export type Cut = Schemas["Cut"];
export type Layer = Schemas["Layer"];
export type Said = Schemas["Said"];

export const api = createClient<paths>({ baseUrl: "/", fetch: fetchOnce });

const MAKER_KEY = "odd-bastion-maker";

/** The name its maker gave this browser: steps are noted under it. */
export const makersName = () => localStorage.getItem(MAKER_KEY) ?? "";
export const setMakersName = (name: string) => localStorage.setItem(MAKER_KEY, name.trim().slice(0, 60));

api.use({
  onRequest({ request }) {
    if (request.method !== "GET" && makersName()) request.headers.set("X-Maker", encodeURIComponent(makersName()));
    return request;
  },
});

/** What went wrong, as the site told it. */
export class Refused extends Error {
  constructor(
    readonly code: string,
    detail: string,
    readonly status: number,
  ) {
    super(detail);
  }
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or its error as one sentence. */
export async function need<T>(answer: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>;
  try {
    got = await answer;
  } catch {
    throw new Refused("offline", "The application does not answer. Is it still running where it was started?", 0);
  }
  if (!got.response.ok) throw refusal(got.error, got.response.status);
  return got.data as T;
}

export function refusal(body: unknown, status: number): Refused {
  const told = body as { code?: string; detail?: string } | undefined;
  return new Refused(told?.code ?? "error", told?.detail ?? `The site answered with error ${status}. Try once more.`, status);
}

export const active = (job: Row["job"]) => job?.state === "queued" || job?.state === "running";

export const CHANGING = ["change"];

export function useBuilds() {
  return useQuery({ queryKey: ["builds"], queryFn: () => need(api.GET("/api/builds/lines/")), refetchInterval: 10_000 });
}

export function useWall(build: number) {
  return useQuery({
    queryKey: ["wall", build],
    queryFn: () => need(api.GET("/api/builds/{id}/wall/", { params: { path: { id: build } } })),
    refetchInterval: (q) => (q.state.data?.rows.some((r) => active(r.job)) ? 1000 : 5000),
  });
}

export function usePiece(piece: number) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["piece", piece],
    queryFn: () => need(api.GET("/api/pieces/{id}/", { params: { path: { id: piece } } })),
    refetchInterval: (q) => (client.isMutating({ mutationKey: CHANGING }) ? false : active(q.state.data?.job ?? null) ? 500 : 4000),
  });
}

export function useWearers() {
  return useQuery({ queryKey: ["wearers"], queryFn: () => need(api.GET("/api/wearers/")) });
}

export function useShop() {
  return useQuery({ queryKey: ["shop"], queryFn: () => need(api.GET("/api/shop/")), staleTime: 30_000 });
}

export function usePrinters() {
  return useQuery({ queryKey: ["printers"], queryFn: () => need(api.GET("/api/printers/")) });
}

export function useSpools() {
  return useQuery({ queryKey: ["spools"], queryFn: () => need(api.GET("/api/spools/")) });
}

export function useMaterials() {
  return useQuery({
    queryKey: ["materials"],
    queryFn: () => need(api.GET("/api/spools/materials/")),
    staleTime: Infinity,
  });
}

/** Tables of the trade: stations, decisions with their bounds, sites, ways in, layers, what goes inside. */
export function useTrade() {
  return useQuery({ queryKey: ["trade"], queryFn: () => need(api.GET("/api/trade/")), staleTime: Infinity });
}

/** A decision's label, unit and bounds, as the core knows them. */
export function useDecision(key: keyof Schemas["Decided"]): Schemas["DecisionRecord"] | undefined {
  return useTrade().data?.decisions.find((d) => d.key === key);
}

/** What lies between body and piece: the maker's layers, or what is usual there. */
export const layersOf = (piece: Detail): Layer[] => piece.recipe.layers ?? piece.usual.layers;

/** What is decided at once on the page, so that the next decision is made on it. */
export function decidedOn(piece: Detail, change: Change): Detail {
  const decided = Object.entries(change).filter(([key]) => key in piece.recipe);
  return { ...piece, recipe: { ...piece.recipe, ...Object.fromEntries(decided) } };
}

/** Change a piece of which only the number is known: it is read first, for its version. */
export function useChangeById(id: number, onSettled: () => void) {
  return useMutation({
    mutationFn: async (change: Change) => {
      const now = await need(api.GET("/api/pieces/{id}/", { params: { path: { id } } }));
      return need(api.PATCH("/api/pieces/{id}/", { params: { path: { id } }, body: { ...change, version: now.version } }));
    },
    onSettled,
  });
}

/** Give a piece a further file, or the files of another piece; what its decisions may name from then on. */
export async function addFile(piece: number, what: { file?: File; piece?: number }): Promise<Schemas["SetFile"][]> {
  const form = new FormData();
  if (what.file) form.append("file", what.file);
  if (what.piece !== undefined) form.append("piece", String(what.piece));
  const answer = await fetch(`/api/pieces/${piece}/files/`, { method: "POST", body: form }).catch(() => null);
  if (!answer) throw new Refused("offline", "The connection broke off. Send the file once more.", 0);
  const body: unknown = await answer.json().catch(() => undefined);
  if (!answer.ok) throw refusal(body, answer.status);
  return (body as Schemas["Added"]).files;
}

/** Send a model file, telling how far it is. */
export function upload(build: number, file: File, onProgress: (share: number) => void): Promise<Detail> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", "/api/pieces/upload/");
    request.upload.onprogress = (e) => e.lengthComputable && onProgress(e.loaded / e.total);
    request.onerror = () => reject(new Refused("offline", `${file.name}: the connection broke off. Send it once more.`, 0));
    request.onload = () => {
      let body: unknown;
      try {
        body = JSON.parse(request.responseText);
      } catch {
        body = undefined;
      }
      if (request.status < 300) resolve(body as Detail);
      else reject(refusal(body, request.status));
    };
    const form = new FormData();
    form.append("build", String(build));
    form.append("file", file);
    request.send(form);
  });
}
