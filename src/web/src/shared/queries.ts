import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answer, DELETE, GET, POST, PUT } from "./api";
import type { Correction } from "./api";
import { hub, startHub } from "./hub";

export const useBench = () => useQuery({ queryKey: ["bench"], queryFn: () => answer(GET("/api/bench")) });

export const useShelves = () => useQuery({ queryKey: ["shelves"], queryFn: () => answer(GET("/api/shelves")) });

export const useCatalogue = () =>
  useQuery({ queryKey: ["catalogue"], queryFn: () => answer(GET("/api/catalogue")), staleTime: Infinity });

export const useFaults = () =>
  useQuery({ queryKey: ["faults"], queryFn: () => answer(GET("/api/faults")), staleTime: Infinity });

export const useRules = () =>
  useQuery({ queryKey: ["rules"], queryFn: () => answer(GET("/api/rules")), staleTime: Infinity });

export const useBoots = () => useQuery({ queryKey: ["boots"], queryFn: () => answer(GET("/api/boots")) });

export const path = (id: string) => ({ params: { path: { id } } });

export const useBoard = (id: string) =>
  useQuery({ queryKey: ["board", id], queryFn: () => answer(GET("/api/boards/{id}", path(id))) });

/** Hears from the server which boot changed and asks again for what the page shows of it. */
export function useLiveBench() {
  const queries = useQueryClient();
  useEffect(() => {
    const boots = new Set<string>();
    const boards = new Set<string>();
    const changed = (boardId: string | null, bootId: string) => {
      boots.add(bootId);
      if (boardId) boards.add(boardId);
    };
    const portsChanged = () => void queries.invalidateQueries({ queryKey: ["ports"] });
    hub.on("bootChanged", changed);
    hub.on("portsChanged", portsChanged);
    // Changes come faster than pages are drawn: what changed is asked for once the answer before has arrived.
    const console = setInterval(() => {
      for (const bootId of boots) {
        if (queries.isFetching({ queryKey: ["boot", bootId] }) > 0) continue;
        boots.delete(bootId);
        void queries.invalidateQueries({ queryKey: ["boot", bootId] });
        void queries.invalidateQueries({ queryKey: ["lines", bootId] });
      }
    }, 150);
    // Words, steps and next thing are read, not watched: twice a second is soon enough, however many boards print.
    const bench = setInterval(() => {
      if (boards.size === 0 || queries.isFetching({ queryKey: ["bench"] }) > 0) return;
      for (const boardId of boards) void queries.invalidateQueries({ queryKey: ["board", boardId] });
      boards.clear();
      void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["boots"] });
    }, 500);
    hub.onreconnected(() => void queries.invalidateQueries());
    void startHub();
    return () => {
      clearInterval(console);
      clearInterval(bench);
      hub.off("bootChanged", changed);
      hub.off("portsChanged", portsChanged);
    };
  }, [queries]);
}

export function useChange<V, T>(change: (variables: V) => Promise<T>, boardId?: string, bootId?: string) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    onSuccess: (answered) => {
      // An answer that is the board as it stands now is shown at once: steps and next thing are never behind.
      if (boardId && typeof answered === "object" && answered !== null && "steps" in answered && "board" in answered)
        queries.setQueryData(["board", boardId], answered);
      void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["boots"] });
      void queries.invalidateQueries({ queryKey: ["shelves"] });
      if (boardId) void queries.invalidateQueries({ queryKey: ["board", boardId] });
      if (bootId) void queries.invalidateQueries({ queryKey: ["boot", bootId] });
    },
  });
}

export const useChooseImage = (id: string) =>
  useChange(
    (imageId: string) => answer(PUT("/api/boards/{id}/image", { params: { path: { id } }, body: { imageId } })),
    id,
  );

export const useCorrect = (id: string) =>
  useChange((body: Correction) => answer(POST("/api/boards/{id}/corrections", { params: { path: { id } }, body })), id);

/** A change of the cards: the catalogue and what is matched from it are asked for again. */
export function useProfileChange<V, T>(change: (variables: V) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["catalogue"] });
      for (const key of ["cards", "shelves", "board"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
}

/** The ids of the cards that were added to those that ship. */
export const useAddedProfiles = () => useQuery({ queryKey: ["cards"], queryFn: () => answer(GET("/api/profiles")) });

const removals = {
  board: "/api/boards/{id}",
  log: "/api/logs/{id}",
  correction: "/api/corrections/{id}",
  recipe: "/api/recipes/{id}",
  "board-card": "/api/profiles/board/{id}",
  "image-card": "/api/profiles/image/{id}",
  "code-card": "/api/profiles/code/{id}",
  "experience-card": "/api/profiles/experience/{id}",
  photo: "/api/photos/{id}",
  supply: "/api/parts/supply/{id}",
  part: "/api/parts/part/{id}",
  adapter: "/api/parts/adapter/{id}",
} as const;

/** Kinds of things that can be removed and taken back. */
export type RemovedKind = keyof typeof removals;

export const useRemoved = () => useQuery({ queryKey: ["removed"], queryFn: () => answer(GET("/api/removed")) });

/** A removal, or its taking back: it can change anything that is shown. */
function useRemoval<V extends { id: string }, T>(change: (variables: V) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    // What was removed itself is not asked for again.
    onSuccess: (_, { id }) => queries.invalidateQueries({ predicate: (q) => q.queryKey[1] !== id }),
  });
}

export const useRemove = () =>
  useRemoval(({ kind, id }: { kind: RemovedKind; id: string }) => answer(DELETE(removals[kind], path(id))));

export const useRestore = () =>
  useRemoval(({ kind, id }: { kind: string; id: string }) =>
    answer(POST("/api/removed/{kind}/{id}/restore", { params: { path: { kind, id } } })),
  );

/** The last changes, of one board and its card or of everything. */
export const useEdits = (board?: string) =>
  useQuery({
    queryKey: ["edits", board],
    queryFn: () => answer(GET("/api/edits", { params: { query: board === undefined ? {} : { board } } })),
  });

/** Takes a change back; it may have been one of anything that is shown. */
export const useUndoEdit = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => answer(POST("/api/edits/{id}/undo", { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries(),
  });
};
