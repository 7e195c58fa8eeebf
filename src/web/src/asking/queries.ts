import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { StartsAsked } from "../shared/api";
import { answer, GET, POST, PUT } from "../shared/api";
import { path, useChange } from "../shared/queries";

/** What a board was asked in a boot, and what could be asked first; asked for again whenever the boot has something new. */
export const useAsked = (bootId: string, live: boolean) =>
  useQuery({
    queryKey: ["boot", bootId, "asked"],
    queryFn: () => answer(GET("/api/boots/{id}/asked", path(bootId))),
    refetchInterval: (query) => (query.state.data?.state === "waiting" ? 400 : live ? 3000 : false),
  });

export const useAsk = (boardId: string, bootId: string) =>
  useChange(() => answer(POST("/api/boots/{id}/asked", path(bootId))), boardId, bootId);

/** Types what is tried until the board restarts. */
export const useTry = (boardId: string, bootId: string) =>
  useChange(
    (trialId: string) => answer(POST("/api/boots/{id}/tried", { ...path(bootId), body: { trialId } })),
    boardId,
    bootId,
  );

/** The starts that a boot's capture holds. */
export const useStarts = (bootId: string, live: boolean) =>
  useQuery({
    queryKey: ["boot", bootId, "starts"],
    queryFn: () => answer(GET("/api/boots/{id}/starts", path(bootId))),
    refetchInterval: live ? 2000 : false,
  });

export const useStartAgain = (boardId: string, bootId: string) =>
  useChange((body: StartsAsked) => answer(POST("/api/boots/{id}/starts", { ...path(bootId), body })), boardId, bootId);

/** What a running system told when it was read, and whether it can be read now. */
export const useSystem = (bootId: string, live: boolean) =>
  useQuery({
    queryKey: ["boot", bootId, "system"],
    queryFn: () => answer(GET("/api/boots/{id}/system", path(bootId))),
    refetchInterval: live ? 2000 : false,
  });

export const useReadSystem = (boardId: string, bootId: string) =>
  useChange(
    (body: { user: string; password: string }) => answer(POST("/api/boots/{id}/system", { ...path(bootId), body })),
    boardId,
    bootId,
  );

/** Keeps an answer to a question; the ranking that follows is shown at once. Null takes it back. */
export const useAnswer = (bootId: string, boardId: string) => {
  const queries = useQueryClient();
  return useChange(
    ({ question, result }: { question: string; result: string | null }) =>
      answer(
        PUT("/api/boots/{id}/answers/{question}", {
          params: { path: { id: bootId, question } },
          body: { result },
        }),
      ).then((diagnosis) => {
        queries.setQueryData(["boot", bootId, "diagnosis"], diagnosis);
        return diagnosis;
      }),
    boardId,
  );
};
