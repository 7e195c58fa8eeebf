import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, GET, POST } from "../shared/api";
import type { PartInput } from "../shared/api";
import { path } from "../shared/queries";

export const useConnection = (id: string) =>
  useQuery({
    queryKey: ["board", id, "connection"],
    queryFn: () => answer(GET("/api/boards/{id}/connection", path(id))),
  });

/** Adds a supply, a part or an adapter of one's own. */
export const useAddPart = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: PartInput) => answer(POST("/api/parts", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["catalogue"] }),
  });
};
