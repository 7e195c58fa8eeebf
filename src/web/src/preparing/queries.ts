import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, DELETE, GET, POST, PUT } from "../shared/api";
import type { CardOrder, FirstBootInput, SimulatedCardSetup } from "../shared/api";
import { base64 } from "../shared/files";
import { path, useChange } from "../shared/queries";

export const usePreparation = (id: string, recoveryMiB: number) =>
  useQuery({
    queryKey: ["board", id, "preparation", recoveryMiB],
    queryFn: () => answer(GET("/api/boards/{id}/preparation", { params: { path: { id }, query: { recoveryMiB } } })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.looking ? 1000 : false),
  });

/** How the writing of a board's card stands, while it goes on. */
export const useCardWrite = (id: string, running: boolean) => {
  const queries = useQueryClient();
  return useQuery({
    queryKey: ["card-write", id],
    queryFn: async () => {
      const write = await answer(GET("/api/boards/{id}/card", path(id)));
      if (!write.running)
        for (const key of [["board", id], ["bench"]]) void queries.invalidateQueries({ queryKey: key });
      return write;
    },
    enabled: running,
    refetchInterval: (query) => (query.state.data?.running === false ? false : 400),
  });
};

export const useSetFirstBoot = (id: string) => {
  const queries = useQueryClient();
  return useChange(async (body: FirstBootInput) => {
    try {
      return await answer(PUT("/api/boards/{id}/first-boot", { params: { path: { id } }, body }));
    } catch (error) {
      // Somebody else may have been faster: what stands there now is asked for.
      await queries.invalidateQueries({ queryKey: ["board", id, "preparation"] });
      throw error;
    }
  }, id);
};

export const useTellWritten = (id: string) =>
  useChange(
    (yes: boolean) => answer(PUT("/api/boards/{id}/written-elsewhere", { params: { path: { id } }, body: { yes } })),
    id,
  );

/** Starts to write a card for a board. */
export const useWriteCard = (id: string) => {
  const queries = useQueryClient();
  return useChange(async (body: CardOrder) => {
    const write = await answer(POST("/api/boards/{id}/card", { params: { path: { id } }, body }));
    queries.setQueryData(["card-write", id], write);
    return write;
  }, id);
};

export const useStopCard = (id: string) => useChange(() => answer(DELETE("/api/boards/{id}/card", path(id))), id);

export const useSetSlot = (boardId: string) =>
  useChange(
    ({ id, name, setup }: { id: string; name: string; setup: SimulatedCardSetup }) =>
      answer(PUT("/api/slots/{id}", { params: { path: { id } }, body: { name, setup } })),
    boardId,
  );

export const useAddRecipe = (boardId: string) =>
  useChange(
    async (file: File) => answer(POST("/api/recipes", { body: { name: file.name, yaml: await file.text() } })),
    boardId,
  );

/** Looks for what an editor did to a file. */
export const useCheckEdited = (boardId: string) =>
  useMutation({
    mutationFn: async (file: File) =>
      answer(POST("/api/edited-files", { body: { name: file.name, content: await base64(file), boardId } })),
  });
