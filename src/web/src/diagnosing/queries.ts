import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, DELETE, GET, POST, PUT } from "../shared/api";
import type { OwnRule } from "../shared/api";
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

/** Keeps what a person says of the end of a log file; the ranking that follows is shown at once. */
export const useTellEnd = (bootId: string, boardId: string) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (stoodStill: boolean | null) =>
      answer(PUT("/api/boots/{id}/end-of-log", { params: { path: { id: bootId } }, body: { stoodStill } })),
    onSuccess: (diagnosis) => {
      queries.setQueryData(["boot", bootId, "diagnosis"], diagnosis);
      for (const key of [["boot", bootId], ["board", boardId], ["bench"]])
        void queries.invalidateQueries({ queryKey: key });
    },
  });
};

/** The nearest good boot and where this one parts from it; nothing where there is none. */
export const useBesideGood = (bootId: string) =>
  useQuery({
    queryKey: ["boot", bootId, "good"],
    queryFn: async () => (await answer(GET("/api/boots/{id}/good", path(bootId)))) ?? null,
  });

/** Where a board stands that says nothing, after what was seen. */
export const useTriage = (boardId: string, answers: Record<string, string>) =>
  useQuery({
    queryKey: ["board", boardId, "triage", answers],
    queryFn: () => answer(POST("/api/triage", { body: { answers, boardId } })),
    placeholderData: (before) => before,
  });

const mostOften = 1000;

/** How the rules stand; asked again while logs are judged anew. */
export const useRuleState = () =>
  useQuery({
    queryKey: ["rules", "state"],
    queryFn: () => answer(GET("/api/rules/state")),
    refetchInterval: (q) => (q.state.data && q.state.data.judged < q.state.data.of ? mostOften : false),
  });

/** What is changed in the rule book changes every list, and what every boot says. */
const useRuleChange = <T>(change: (input: T) => Promise<unknown>) => {
  const queries = useQueryClient();
  return useMutation({ mutationFn: change, onSuccess: () => queries.invalidateQueries() });
};

export const useTryRule = () =>
  useMutation({
    mutationFn: (rule: { find: string; regex: string | null; not: string | null }) =>
      answer(POST("/api/rules/try", { body: rule })),
  });

export const useKeepRule = () =>
  useRuleChange((rule: OwnRule) =>
    answer(PUT("/api/rules/own/{id}", { params: { path: { id: rule.id } }, body: rule })),
  );

export const useRemoveRule = () => useRuleChange((id: string) => answer(DELETE("/api/rules/own/{id}", path(id))));

export const useSwitchRule = () =>
  useRuleChange((body: { name: string; off: boolean }) => answer(PUT("/api/rules/off", { body })));

export const useImportRules = () =>
  useRuleChange((yaml: string) => answer(POST("/api/rules/import", { body: { yaml } })));
