import { useQuery } from "@tanstack/react-query";
import { answer, GET, POST } from "../shared/api";
import { path, useChange } from "../shared/queries";

export const useSettings = (id: string) =>
  useQuery({ queryKey: ["board", id, "settings"], queryFn: () => answer(GET("/api/boards/{id}/settings", path(id))) });

export const useKeep = (id: string) =>
  useChange(
    (body: { bootId: string; notes: string; hostname: string | null; rootDevice: string | null }) =>
      answer(POST("/api/boards/{id}/settings", { params: { path: { id } }, body })),
    id,
  );
