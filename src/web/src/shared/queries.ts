import { HubConnectionBuilder, LogLevel } from "@microsoft/signalr";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { answer, GET, POST, PUT } from "./api";
import type { BoardInput, Problem } from "./api";
import { ProblemError } from "./api";

export const linesOfPage = 400;

export const useBench = () => useQuery({ queryKey: ["bench"], queryFn: () => answer(GET("/api/bench")) });
export const useShelves = () => useQuery({ queryKey: ["shelves"], queryFn: () => answer(GET("/api/shelves")) });
export const useCatalogue = () =>
  useQuery({ queryKey: ["catalogue"], queryFn: () => answer(GET("/api/catalogue")), staleTime: Infinity });
export const useFaults = () =>
  useQuery({ queryKey: ["faults"], queryFn: () => answer(GET("/api/faults")), staleTime: Infinity });
export const useRules = () =>
  useQuery({ queryKey: ["rules"], queryFn: () => answer(GET("/api/rules")), staleTime: Infinity });
export const useBoots = () => useQuery({ queryKey: ["boots"], queryFn: () => answer(GET("/api/boots")) });
export const usePorts = (enabled: boolean) =>
  useQuery({ queryKey: ["ports"], queryFn: () => answer(GET("/api/ports")), enabled, staleTime: 0 });

const path = (id: string) => ({ params: { path: { id } } });

export const useBoard = (id: string) =>
  useQuery({ queryKey: ["board", id], queryFn: () => answer(GET("/api/boards/{id}", path(id))) });
export const useMatches = (id: string) =>
  useQuery({ queryKey: ["board", id, "matches"], queryFn: () => answer(GET("/api/boards/{id}/matches", path(id))) });
export const usePreparation = (id: string) =>
  useQuery({
    queryKey: ["board", id, "preparation"],
    queryFn: () => answer(GET("/api/boards/{id}/preparation", path(id))),
  });
export const useSettings = (id: string) =>
  useQuery({ queryKey: ["board", id, "settings"], queryFn: () => answer(GET("/api/boards/{id}/settings", path(id))) });

export const useBoot = (id: string | undefined) =>
  useQuery({
    queryKey: ["boot", id],
    queryFn: () => answer(GET("/api/boots/{id}", path(id ?? ""))),
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data?.live && !query.state.data.settled ? 5000 : false),
  });
export const useDiagnosis = (id: string | undefined) =>
  useQuery({
    queryKey: ["boot", id, "diagnosis"],
    queryFn: () => answer(GET("/api/boots/{id}/diagnosis", path(id ?? ""))),
    enabled: id !== undefined,
  });

/** The query of one page of console lines; a whole page never changes, the last one is asked for again when the boot changes. */
export const linesQuery = (id: string, page: number, total: number) => {
  const from = page * linesOfPage + 1;
  return {
    queryKey: ["lines", id, page],
    queryFn: () =>
      answer(GET("/api/boots/{id}/lines", { params: { path: { id }, query: { from, count: linesOfPage } } })),
    staleTime: total >= from + linesOfPage ? Infinity : 0,
  };
};

/** Hears from the server which boot changed and asks again for what the page shows of it. */
export function useLiveBench() {
  const queries = useQueryClient();
  useEffect(() => {
    const hub = new HubConnectionBuilder()
      .withUrl("/hub")
      .withAutomaticReconnect([0, 500, 1000, 2000, 5000, 10000])
      .configureLogging(LogLevel.None)
      .build();
    const changed = new Map<string, string | null>();
    hub.on("bootChanged", (boardId: string | null, bootId: string) => changed.set(bootId, boardId));
    // Changes come faster than pages are drawn: what changed is asked for once the answer before has arrived.
    const timer = setInterval(() => {
      for (const [bootId, boardId] of changed) {
        if (queries.isFetching({ queryKey: ["boot", bootId] }) > 0) continue;
        changed.delete(bootId);
        void queries.invalidateQueries({ queryKey: ["boot", bootId] });
        void queries.invalidateQueries({ queryKey: ["lines", bootId] });
        void queries.invalidateQueries({ queryKey: ["bench"] });
        void queries.invalidateQueries({ queryKey: ["boots"] });
        if (boardId) void queries.invalidateQueries({ queryKey: ["board", boardId] });
      }
    }, 150);
    hub.onreconnected(() => void queries.invalidateQueries());
    const started = hub.start().catch(() => undefined);
    return () => {
      clearInterval(timer);
      void started.then(() => hub.stop());
    };
  }, [queries]);
}

function useChange<V, T>(change: (variables: V) => Promise<T>, boardId?: string, bootId?: string) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    onSuccess: () => {
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
  useChange(
    (body: { bootId: string; causeId: string }) =>
      answer(POST("/api/boards/{id}/corrections", { params: { path: { id } }, body })),
    id,
  );
export const useStartBoot = (id: string) =>
  useChange(
    (body: { source: string; speed: number | null }) =>
      answer(POST("/api/boards/{id}/boots", { params: { path: { id } }, body })),
    id,
  );
export const useEndBoot = (boardId: string) =>
  useChange((id: string) => answer(POST("/api/boots/{id}/end", { params: { path: { id } } })), boardId);
export const useType = (id: string) =>
  useChange((text: string) => answer(POST("/api/boots/{id}/typed", { params: { path: { id } }, body: { text } })));
export const useNote = (id: string) =>
  useChange(
    (text: string) => answer(POST("/api/boots/{id}/notes", { params: { path: { id } }, body: { text } })),
    undefined,
    id,
  );
export const useSaveBoard = (id: string | undefined) =>
  useChange(
    (body: BoardInput) =>
      id ? answer(PUT("/api/boards/{id}", { params: { path: { id } }, body })) : answer(POST("/api/boards", { body })),
    id,
  );
export const useKeep = (id: string) =>
  useChange(
    (body: { bootId: string; notes: string; hostname: string | null; rootDevice: string | null }) =>
      answer(POST("/api/boards/{id}/settings", { params: { path: { id } }, body })),
    id,
  );

/** Tells which board it is from its mark, a text and a device tree. */
export const useIdentify = () =>
  useMutation({
    mutationFn: (body: { mark: string | null; text: string | null; tree: string | null }) =>
      answer(POST("/api/identification", { body })),
  });

/** Looks into an image file on the server's computer; `stop` ends it. */
export const useInspect = () => {
  const stop = useRef<AbortController | null>(null);
  const inspect = useMutation({
    mutationFn: (body: { path: string; boardId: string | null }) => {
      stop.current = new AbortController();
      return answer(POST("/api/inspections", { body, signal: stop.current.signal }));
    },
  });
  return { ...inspect, stop: () => stop.current?.abort() };
};

/** Sends a log file as it is, with progress, and gives the boot that it became. */
export const useDropLog = (id: string, progress: (share: number) => void) =>
  useChange(
    (file: File) =>
      new Promise<{ id: string }>((resolve, reject) => {
        const request = new XMLHttpRequest();
        request.open("POST", `/api/boards/${id}/logs?name=${encodeURIComponent(file.name)}`);
        request.setRequestHeader("Content-Type", "application/octet-stream");
        request.upload.onprogress = (e) => progress(e.lengthComputable ? e.loaded / e.total : 0);
        request.onload = () => {
          try {
            const body: unknown = JSON.parse(request.responseText);
            if (request.status < 300) resolve(body as { id: string });
            else reject(new ProblemError(body as Problem));
          } catch (error) {
            reject(error instanceof Error ? error : new Error(String(error)));
          }
        };
        request.onerror = () =>
          reject(
            new ProblemError({
              expected: "The log should arrive.",
              came: "The connection broke.",
              toDo: "Look whether Buttonhook is still running; a log may have up to 64 MiB.",
            }),
          );
        request.send(file);
      }),
    id,
  );
