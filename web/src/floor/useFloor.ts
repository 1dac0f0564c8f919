/** Plates, printers and the log: asked, decided and pressed. */
import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { active, api, need, type Schemas } from "../api/client";
import { askAnew } from "../api/deciding";

export type Floor = Schemas["Floor"];
export type Plate = Schemas["PlateRecord"];
export type Run = Schemas["RunRecord"];
export type HeldPlate = Floor["held_plates"][number];

export function useFloor(build: number) {
  return useQuery({
    queryKey: ["floor", build],
    queryFn: () => need(api.GET("/api/builds/{id}/floor/", { params: { path: { id: build } } })),
    refetchInterval: (q) => (active(q.state.data?.job ?? null) || q.state.data?.running.some((r) => r.watched) ? 1500 : 8000),
  });
}

export function useLog(build: number, find: string) {
  return useQuery({
    queryKey: ["log", build, find],
    queryFn: () => need(api.GET("/api/runs/log/", { params: { query: { build, find: find || undefined } } })),
    placeholderData: (old) => old,
    refetchInterval: 8000,
  });
}

function again(client: QueryClient) {
  for (const key of ["floor", "log", "spools"]) void client.invalidateQueries({ queryKey: [key] });
  askAnew(client);
}

/** Have plates laid and printers planned. */
export function usePlan(build: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => need(api.POST("/api/builds/{id}/floor/", { params: { path: { id: build } } })),
    onSuccess: (told) => client.setQueryData(["floor", build], told),
  });
}

/** Decide about plates. */
export function useDecide(build: number) {
  const client = useQueryClient();
  return useMutation({
    scope: { id: `floor-${build}` },
    mutationFn: (body: Schemas["PatchedPlatesDecisionsRequest"]) =>
      need(api.PATCH("/api/builds/{id}/floor/", { params: { path: { id: build } }, body })),
    onSuccess: (told) => client.setQueryData(["floor", build], told),
    onSettled: () => again(client),
  });
}

export function useBegin(build: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["BeginRequest"]) => need(api.POST("/api/builds/{id}/runs/", { params: { path: { id: build } }, body })),
    // Out of reach for a moment: the same press is sent once more, and counts once.
    retry: (failures, error) => failures < 2 && (error as { status?: number }).status === 0,
    onSettled: () => again(client),
  });
}

export function usePress() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ run, ...body }: Schemas["PressedRequest"] & { run: number }) =>
      need(api.POST("/api/runs/{id}/press/", { params: { path: { id: run } }, body })),
    retry: (failures, error) => failures < 2 && (error as { status?: number }).status === 0,
    onSettled: () => again(client),
  });
}

export function useTakeBack() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (run: number) => need(api.POST("/api/runs/{id}/undo/", { params: { path: { id: run } } })),
    onSettled: () => again(client),
  });
}

export function usePicture() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ run, file }: { run: number; file: File }) => {
      const form = new FormData();
      form.append("picture", file);
      const answer = await fetch(`/api/runs/${run}/picture/`, { method: "POST", body: form });
      if (!answer.ok)
        throw new Error(
          ((await answer.json().catch(() => null)) as { detail?: string } | null)?.detail ?? "The picture was not kept. Send it once more.",
        );
    },
    onSettled: () => again(client),
  });
}

export function useWhatIf(build: number) {
  return useMutation({
    mutationFn: (body: Schemas["WhatIfAllRequest"]) =>
      need(api.POST("/api/builds/{id}/what-if/", { params: { path: { id: build } }, body })),
  });
}

/** A plate's spots with the maker's hand on it. */
export const heldOf = (plate: Plate): HeldPlate => ({
  printer: plate.printer,
  spots: plate.parts.map((p) => ({ piece: p.piece, part: p.part, turn_deg: p.turn_deg, x_mm: p.x_mm, y_mm: p.y_mm })),
});

/** The held plates without those that share a part with this one. */
export const others = (floor: Floor, plate: HeldPlate): HeldPlate[] => {
  const mine = new Set(plate.spots.map((s) => `${s.piece}/${s.part}`));
  return floor.held_plates
    .map((p) => ({ ...p, spots: p.spots.filter((s) => !mine.has(`${s.piece}/${s.part}`)) }))
    .filter((p) => p.spots.length > 0);
};
