import { useQuery } from "@tanstack/react-query";
import { answer, GET, POST, ProblemError } from "../shared/api";
import type { Problem } from "../shared/api";
import { path, useChange } from "../shared/queries";

export const usePorts = (enabled: boolean) =>
  useQuery({ queryKey: ["ports"], queryFn: () => answer(GET("/api/ports")), enabled, staleTime: 0 });

export const useBoot = (id: string | undefined) =>
  useQuery({
    queryKey: ["boot", id],
    queryFn: () => answer(GET("/api/boots/{id}", path(id ?? ""))),
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data?.live && !query.state.data.settled ? 5000 : false),
  });

export const useStartBoot = (id: string) =>
  useChange(
    (body: { source: string; speed: number | null }) =>
      answer(POST("/api/boards/{id}/boots", { params: { path: { id } }, body })),
    id,
  );

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
