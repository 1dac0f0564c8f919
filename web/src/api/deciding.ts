/** Decisions from a page: kept, tried as drafts, undone and done again. */
import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { active, api, CHANGING, decidedOn, need, type Change, type Detail, type Said, type Schemas } from "./client";

export type Draft = Schemas["DraftRecord"];
export type Step = Schemas["StepRef"];

/** The changes of a piece that are tried. */
export function useDrafts(piece: number | null) {
  return useQuery({
    queryKey: ["drafts", piece],
    enabled: piece !== null,
    queryFn: () => need(api.GET("/api/pieces/{id}/drafts/", { params: { path: { id: piece! } } })),
    refetchInterval: (q) => (q.state.data?.some((d) => active(d.row.job)) ? 600 : 5000),
  });
}

/** The piece as it would be with a draft kept. */
export function useDraft(draft: number | null) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["draft", draft],
    enabled: draft !== null,
    retry: false,
    queryFn: () => need(api.GET("/api/drafts/{id}/", { params: { path: { id: draft! } } })),
    refetchInterval: (q) => {
      if (q.state.error || client.isMutating({ mutationKey: CHANGING })) return false;
      return active(q.state.data?.job ?? null) ? 500 : 4000;
    },
  });
}

/** Everything that shows decisions is to be asked for anew. */
export function askAnew(client: QueryClient) {
  for (const key of ["piece", "wall", "drafts", "draft", "steps", "suit", "motion", "builds"])
    void client.invalidateQueries({ queryKey: [key] });
}

interface Where {
  /** The draft that is open; null for what is kept. */
  draft: number | null;
  /** Whether a change is tried instead of kept. */
  trying: boolean;
  /** Called with a draft that was made of a change. */
  onDraft: (draft: number) => void;
}

/** Change decisions about a piece: of the draft that is open, as a new draft, or for good. A change made on an old version is refused. */
export function useChange(piece: number, { draft, trying, onDraft }: Where) {
  const client = useQueryClient();
  const key = draft === null ? ["piece", piece] : ["draft", draft];
  return useMutation({
    mutationKey: CHANGING,
    // One after the other, each on what the one before made: two quick changes never cross.
    scope: { id: `piece-${piece}` },
    mutationFn: async (change: Change) => {
      const shown = client.getQueryData<Detail>(key);
      if (draft !== null) {
        const body = { ...change, version: shown?.draft_version ?? 0 };
        client.setQueryData(key, await need(api.PATCH("/api/drafts/{id}/", { params: { path: { id: draft } }, body })));
      } else if (trying) {
        onDraft((await tried(piece, change)).id);
      } else {
        const body = { ...change, version: shown?.version ?? 0 };
        client.setQueryData(key, await need(api.PATCH("/api/pieces/{id}/", { params: { path: { id: piece } }, body })));
      }
    },
    // The page shows the decision at once, so that the next one is made on it.
    onMutate: async (change) => {
      if (draft === null && trying) return;
      await client.cancelQueries({ queryKey: key });
      client.setQueryData<Detail>(key, (old) => old && decidedOn(old, change));
    },
    onSettled: () => askAnew(client),
  });
}

const tried = (piece: number, change: Change, because?: Said) =>
  need(api.POST("/api/pieces/{id}/drafts/", { params: { path: { id: piece } }, body: { ...change, because } as Schemas["DraftRequest"] }));

/** Open a remedy as a draft. */
export function useRemedy(piece: number, onDraft: (draft: number) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ label, change }: Schemas["Remedy"]) => tried(piece, change as Change, label),
    onSuccess: (made) => onDraft(made.id),
    onSettled: () => askAnew(client),
  });
}

/** Keep or drop a draft. ``version`` is that of the piece it was seen beside. */
export function useEnd(onEnd: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (how: { draft: number; keep: boolean; version: number }) => {
      const params = { path: { id: how.draft } };
      if (how.keep) await need(api.POST("/api/drafts/{id}/keep/", { params, body: { version: how.version } }));
      else await need(api.DELETE("/api/drafts/{id}/", { params }));
    },
    onSuccess: (_, { draft }) => {
      onEnd();
      client.removeQueries({ queryKey: ["draft", draft] });
    },
    onSettled: () => askAnew(client),
  });
}

/** Undo or redo a step of a piece, or of its whole build. What comes next is known with the answer, so that quick presses follow one another. */
export function useGo(build: number, piece: number | null) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ way, step }: { way: "undo" | "redo"; step: number }) => {
      const body = { step };
      // A question under way would answer with what was next before.
      await Promise.all([["wall"], ["steps"], ["piece"]].map((queryKey) => client.cancelQueries({ queryKey })));
      if (piece === null) {
        const { undo, redo, ...told } = await need(api.POST(`/api/builds/{id}/${way}/`, { params: { path: { id: build } }, body }));
        client.setQueryData<Schemas["Steps"]>(["steps", build], { ...told, undo, redo });
        client.setQueryData<Schemas["Wall"]>(["wall", build], (old) => old && { ...old, undo, redo });
      } else {
        const told = await need(api.POST(`/api/pieces/{id}/${way}/`, { params: { path: { id: piece } }, body }));
        client.setQueryData<Detail>(["piece", piece], told);
      }
    },
    onSettled: () => askAnew(client),
  });
}

/** The kept changes of a build, newest first. */
export function useSteps(build: number) {
  return useQuery({
    queryKey: ["steps", build],
    queryFn: () => need(api.GET("/api/builds/{id}/steps/", { params: { path: { id: build } } })),
    refetchInterval: 5000,
  });
}
