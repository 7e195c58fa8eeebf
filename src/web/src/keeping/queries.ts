import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, DELETE, GET, POST, PUT } from "../shared/api";
import type { BatchInput, ProfileFileInput, MoveTarget, WorkingSettings } from "../shared/api";
import { path, useChange } from "../shared/queries";

export const useSettings = (id: string) =>
  useQuery({
    queryKey: ["board", id, "settings"],
    queryFn: () => answer(GET("/api/boards/{id}/settings", path(id))),
    enabled: id !== "",
  });

export const useKeep = (id: string) =>
  useChange(
    (body: { bootId: string; notes: string; said: Record<string, string>; after: number | null; disputed: boolean }) =>
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
    (body: { settings: WorkingSettings; from: string; after: number | null; foreign: boolean }) =>
      answer(POST("/api/boards/{id}/settings/taken", { params: { path: { id } }, body })),
    id,
  );

export const useFirstLogin = (id: string) =>
  useQuery({
    queryKey: ["board", id, "first-login"],
    queryFn: () => answer(GET("/api/boards/{id}/first-login", path(id))),
    refetchInterval: (query) => (query.state.data?.live ? 2000 : false),
  });

export const useTellTask = (id: string) =>
  useChange(
    ({ task, done }: { task: string; done: boolean }) =>
      answer(PUT("/api/boards/{id}/first-login/{task}", { params: { path: { id, task } }, body: { done } })),
    id,
  );

/** Types a command and Enter into a running boot. */
export const useSendCommand = () =>
  useChange(({ bootId, command }: { bootId: string; command: string }) =>
    answer(
      POST("/api/boots/{id}/command", { params: { path: { id: bootId } }, body: { text: command, anyway: false } }),
    ),
  );

export const useNetworkLists = (boardId: string) =>
  useChange(({ before, after }: { before: string; after: string }) =>
    answer(POST("/api/network/lists", { body: { before, after, boardId } })),
  );

export const useNetworkMessage = () =>
  useChange((text: string) => answer(POST("/api/network/message", { body: { text } })));

export const useMove = (id: string) =>
  useQuery({ queryKey: ["board", id, "move"], queryFn: () => answer(GET("/api/boards/{id}/move", path(id))) });

export const useBeginMove = (id: string) =>
  useChange(
    (move: { target: MoveTarget; device: string; confirm: string } | null) =>
      move === null
        ? answer(DELETE("/api/boards/{id}/move", path(id)))
        : answer(POST("/api/boards/{id}/move", { ...path(id), body: move })),
    id,
  );

export const useAddCopy = (id: string) =>
  useChange(
    (body: { place: string; sha256: string | null; bytes: number | null }) =>
      answer(POST("/api/boards/{id}/copies", { ...path(id), body })),
    id,
  );

export const useBatches = () =>
  useQuery({ queryKey: ["batches"], queryFn: () => answer(GET("/api/batches")), staleTime: 0 });

export const useBatch = (id: string) =>
  useQuery({
    queryKey: ["batches", id],
    queryFn: () => answer(GET("/api/batches/{id}", path(id))),
    refetchInterval: 3000,
  });

export const useBeginBatch = () => useChange((body: BatchInput) => answer(POST("/api/batches", { body })));

export const useStatistics = () =>
  useQuery({ queryKey: ["statistics"], queryFn: () => answer(GET("/api/statistics")), staleTime: 0 });

/** Looks at what another bench learnt; takes nothing. */
export const useLookAtExperience = () =>
  useMutation({ mutationFn: (body: ProfileFileInput) => answer(POST("/api/experience/look", { body })) });

/** Takes over what another bench learnt. */
export const useTakeExperience = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: ProfileFileInput) => answer(POST("/api/experience/take", { body })),
    onSuccess: () => queries.invalidateQueries(),
  });
};
