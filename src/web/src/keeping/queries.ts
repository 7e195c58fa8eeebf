import { useQuery } from "@tanstack/react-query";
import { answer, GET, POST } from "../shared/api";
import type { WorkingSettings } from "../shared/api";
import { path, useChange } from "../shared/queries";

export const useSettings = (id: string) =>
  useQuery({ queryKey: ["board", id, "settings"], queryFn: () => answer(GET("/api/boards/{id}/settings", path(id))) });

export const useKeep = (id: string) =>
  useChange(
    (body: { bootId: string; notes: string; said: Record<string, string>; after: number | null }) =>
      answer(POST("/api/boards/{id}/settings", { params: { path: { id } }, body })),
    id,
  );

/** Two versions beside each other, "board:version" each; an empty one asks for nothing. */
export const useCompared = (a: string, b: string) =>
  useQuery({
    queryKey: ["compared", a, b],
    queryFn: () => answer(GET("/api/settings/compare", { params: { query: { a, b } } })),
    enabled: a !== "",
  });

/** Sets the bench of a board up as a version says. */
export const useAgain = (id: string) =>
  useChange(
    (version: number) =>
      answer(POST("/api/boards/{id}/settings/{version}/again", { params: { path: { id, version } } })),
    id,
  );

/** Reads a file or a text and tells what it would change; keeps nothing. */
export const readSettings = (board: string, body: Blob) =>
  answer(
    POST("/api/settings/read", {
      params: { query: { board } },
      body: body as unknown as string,
      bodySerializer: (b) => b as unknown as BodyInit,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );

export const useTake = (id: string) =>
  useChange(
    (body: { settings: WorkingSettings; from: string; after: number | null }) =>
      answer(POST("/api/boards/{id}/settings/taken", { params: { path: { id } }, body })),
    id,
  );
