import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, GET, POST } from "../shared/api";
import type { PracticeRoundView } from "../shared/api";
import { path } from "../shared/queries";

export const usePractice = () => useQuery({ queryKey: ["practice"], queryFn: () => answer(GET("/api/practice")) });

export const useRound = (id: string) =>
  useQuery({ queryKey: ["practice", id], queryFn: () => answer(GET("/api/practice/{id}", path(id))) });

/** Something done in a round: its answer is the round as it stands then. */
function useInRound<V>(act: (variables: V) => Promise<PracticeRoundView>) {
  const queries = useQueryClient();
  return useMutation<PracticeRoundView, Error, V>({
    mutationFn: act,
    onSuccess: (round) => {
      queries.setQueryData(["practice", round.id], round);
      void queries.invalidateQueries({ queryKey: ["practice"], exact: true });
    },
  });
}

export const useBeginRound = () =>
  useInRound((body: { boardId: string | null; level: number; faultId: string | null }) =>
    answer(POST("/api/practice", { body })),
  );

export type Step = { look: string } | { mend: string } | "boot" | "end";

/** Does one step of a round. */
export const useStep = (id: string) =>
  useInRound((step: Step) =>
    step === "boot"
      ? answer(POST("/api/practice/{id}/boot", path(id)))
      : step === "end"
        ? answer(POST("/api/practice/{id}/end", path(id)))
        : "look" in step
          ? answer(POST("/api/practice/{id}/look", { ...path(id), body: { id: step.look } }))
          : answer(POST("/api/practice/{id}/mend", { ...path(id), body: { id: step.mend } })),
  );
