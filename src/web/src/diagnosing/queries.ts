import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, GET, PUT } from "../shared/api";
import type { CheckAnswer } from "../shared/api";
import { path } from "../shared/queries";

export const useDiagnosis = (id: string | undefined) =>
  useQuery({
    queryKey: ["boot", id, "diagnosis"],
    queryFn: () => answer(GET("/api/boots/{id}/diagnosis", path(id ?? ""))),
    enabled: id !== undefined,
  });

/** The edits that a dry boot of this board's card knows, by cause. */
export const useMends = (boardId: string) =>
  useQuery({
    queryKey: ["board", boardId, "mends"],
    queryFn: () => answer(GET("/api/boards/{id}/mends", path(boardId))),
  });

/** Keeps what a person found by the check of a cause; the ranking that follows is shown at once. */
export const useAnswerCheck = (bootId: string, boardId: string) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ causeId, answer: found }: { causeId: string; answer: CheckAnswer | null }) =>
      answer(
        PUT("/api/boots/{id}/answers/{cause}", {
          params: { path: { id: bootId, cause: causeId } },
          body: { answer: found },
        }),
      ),
    onSuccess: (diagnosis) => {
      queries.setQueryData(["boot", bootId, "diagnosis"], diagnosis);
      for (const key of [["board", boardId], ["bench"]]) void queries.invalidateQueries({ queryKey: key });
    },
  });
};
