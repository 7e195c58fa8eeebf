import { useQuery } from "@tanstack/react-query";
import { answer, DELETE, GET, POST, ProblemError, PUT } from "../shared/api";
import type { BootStart, FlowControl, Problem, Sequence } from "../shared/api";
import { path, useChange } from "../shared/queries";

export const usePorts = (enabled: boolean) =>
  useQuery({ queryKey: ["ports"], queryFn: () => answer(GET("/api/ports")), enabled, staleTime: 0 });

/** The ports of the computer alone: asked on every page, where nobody wants those of simulated boards. */
export const useRealPorts = () =>
  useQuery({
    queryKey: ["ports", "real"],
    queryFn: () => answer(GET("/api/ports", { params: { query: { real: true } } })),
  });

export const useBoot = (id: string | undefined) =>
  useQuery({
    queryKey: ["boot", id],
    queryFn: () => answer(GET("/api/boots/{id}", path(id ?? ""))),
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data?.live && !query.state.data.settled ? 5000 : false),
  });

export const useStartBoot = (id: string) =>
  useChange((body: BootStart) => answer(POST("/api/boards/{id}/boots", { params: { path: { id } }, body })), id);

export const useEndBoot = (boardId: string) =>
  useChange((id: string) => answer(POST("/api/boots/{id}/end", { params: { path: { id } } })), boardId);

export const usePower = (boardId: string, bootId: string) =>
  useChange(
    (on: boolean) => answer(POST("/api/boots/{id}/power", { params: { path: { id: bootId } }, body: { on } })),
    boardId,
    bootId,
  );

export const useType = (id: string) =>
  useChange((text: string) => answer(POST("/api/boots/{id}/typed", { params: { path: { id } }, body: { text } })));

export const useNote = (id: string) =>
  useChange(
    (text: string) => answer(POST("/api/boots/{id}/notes", { params: { path: { id } }, body: { text } })),
    undefined,
    id,
  );

/** Something done with a running console; the answer is the boot as it stands then. */
const useConsole = <V>(bootId: string, act: (variables: V) => Promise<unknown>) => useChange(act, undefined, bootId);

export const useStopLoader = (id: string) =>
  useConsole(id, () => answer(POST("/api/boots/{id}/loader-stop", path(id))));

export const useLogIn = (id: string) =>
  useConsole(id, (body: { user: string; password: string }) =>
    answer(POST("/api/boots/{id}/login", { ...path(id), body })),
  );

export const useChangePassword = (id: string) =>
  useConsole(id, (body: { old: string; new: string }) =>
    answer(POST("/api/boots/{id}/password", { ...path(id), body })),
  );

export const useSetLine = (id: string) =>
  useConsole(id, (body: { speed: number; frame: string; flow: FlowControl }) =>
    answer(POST("/api/boots/{id}/line", { ...path(id), body })),
  );

export const useWires = (id: string) =>
  useConsole(id, (body: { dtr: boolean | null; rts: boolean | null }) =>
    answer(POST("/api/boots/{id}/wires", { ...path(id), body })),
  );

export const useBreak = (id: string) => useConsole(id, () => answer(POST("/api/boots/{id}/break", path(id))));

export const usePaste = (id: string) =>
  useConsole(id, (body: { text: string; characterPause: number; linePause: number }) =>
    answer(POST("/api/boots/{id}/pasted", { ...path(id), body })),
  );

export const useEndTyping = (id: string) => useConsole(id, () => answer(POST("/api/boots/{id}/typing/end", path(id))));

export const useSequences = (boardId: string) =>
  useQuery({
    queryKey: ["sequences", boardId],
    queryFn: () => answer(GET("/api/boards/{id}/sequences", path(boardId))),
  });

export const useKeepSequence = (id: string) =>
  useChange((body: Sequence) => answer(PUT("/api/boards/{id}/sequences", { ...path(id), body })), id);

export const useRemoveSequence = (id: string) =>
  useChange(
    (name: string) => answer(DELETE("/api/boards/{id}/sequences/{name}", { params: { path: { id, name } } })),
    id,
  );

export const useRunSequence = (id: string) =>
  useConsole(id, (name: string) =>
    answer(POST("/api/boots/{id}/sequences/{name}", { params: { path: { id, name } } })),
  );

export type LogFilter = {
  board?: string | undefined;
  /** Model and revision, with a space between. */
  revision?: string | undefined;
  image?: string | undefined;
  outcome?: string | undefined;
  stage?: string | undefined;
  cause?: string | undefined;
};

/** The lines of all logs that hold some words. */
export const useFoundLogs = (text: string, filter: LogFilter) =>
  useQuery({
    queryKey: ["found-logs", text, filter],
    queryFn: () => {
      const [model, revision] = filter.revision?.split(" ") ?? [];
      const query = { text, ...filter, model, revision } as { text: string };
      return answer(GET("/api/logs/found", { params: { query } }));
    },
    enabled: /[\p{L}\p{N}]/u.test(text),
    staleTime: 5000,
    placeholderData: (before) => before,
  });

export const useBeside = (left: string, right: string) =>
  useQuery({
    queryKey: ["beside", left, right],
    queryFn: () => answer(GET("/api/boots/{left}/beside/{right}", { params: { path: { left, right } } })),
  });

/** Sends log files as they are, with progress, and gives the boot that they became; several together go as one form. */
export const useDropLog = (id: string, progress: (share: number) => void) =>
  useChange(
    (files: File | File[]) =>
      new Promise<{ id: string }>((resolve, reject) => {
        const request = new XMLHttpRequest();
        const all = Array.isArray(files) ? files : [files];
        const only = all.length === 1 ? all[0] : undefined;
        request.open(
          "POST",
          only ? `/api/boards/${id}/logs?name=${encodeURIComponent(only.name)}` : `/api/boards/${id}/logs/together`,
        );
        if (only) request.setRequestHeader("Content-Type", "application/octet-stream");
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
              toDo: "Check whether Buttonhook is still running; a log may have up to 64 MiB.",
            }),
          );
        if (only) request.send(only);
        else {
          const form = new FormData();
          for (const file of all) form.append("files", file, file.name);
          request.send(form);
        }
      }),
    id,
  );
