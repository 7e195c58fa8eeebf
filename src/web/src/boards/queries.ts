import { keepPreviousData, useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, DELETE, GET, POST, PUT } from "../shared/api";
import type { Import, ImportedBoard, BoardInput, BoardProfile, Clues } from "../shared/api";
import { asPhoto } from "./pictures";
import { path, useProfileChange, useChange } from "../shared/queries";

/** Tells which board it is from all that is known of it. */
export const useIdentify = () =>
  useMutation({ mutationFn: (body: Clues) => answer(POST("/api/identification", { body })) });

/** Drafts a board profile from what can be read. */
export const useDraft = () =>
  useMutation({ mutationFn: (body: Clues) => answer(POST("/api/profiles/drafts", { body })) });

export const useAddBoardProfile = () =>
  useProfileChange((body: BoardProfile) => answer(POST("/api/profiles/boards", { body })));

export const useImportProfiles = () =>
  useProfileChange(async (file: File) =>
    answer(POST("/api/profiles/imports", { body: { name: file.name, yaml: await file.text() } })),
  );

/** Brings something to the bench: a path on the server's computer, or text. */
export const useArrive = () =>
  useMutation({
    mutationFn: (body: { path: string | null; text: string | null }) => answer(POST("/api/imports", { body })),
  });

/** All that is in a person's hands: what came in and is not on the bench yet, in the order in which it came. */
export const useImports = (ids: string[]) =>
  useQueries({
    queries: ids.map((id) => ({
      queryKey: ["arrival", id],
      queryFn: () => answer(GET("/api/imports/{id}", path(id))),
      refetchInterval: (query: { state: { data?: Import | undefined } }) => (query.state.data?.running ? 300 : false),
    })),
  });

export const useForgetImport = () =>
  useMutation({ mutationFn: (id: string) => answer(DELETE("/api/imports/{id}", path(id))) });

/** The boards whose device trees came in, those that fit the words first. */
export const useImportedTrees = (id: string, words: string, enabled: boolean) =>
  useQuery({
    queryKey: ["arrival", id, "trees", words],
    queryFn: () => answer(GET("/api/imports/{id}/trees", { params: { path: { id }, query: { words } } })),
    placeholderData: keepPreviousData,
    enabled,
  });

/** The card that would come of it: what was read, and what nothing tells. */
export const useImportedDraft = (id: string, tree: string | null, overlays: string[], enabled: boolean) =>
  useQuery({
    queryKey: ["arrival", id, "draft", tree, overlays],
    queryFn: () =>
      answer(
        GET("/api/imports/{id}/draft", {
          params: { path: { id }, query: tree === null ? {} : { tree, overlay: overlays } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled,
  });

/** The overlays that came in beside the trees. */
export const useImportedOverlays = (id: string, enabled: boolean) =>
  useQuery({
    queryKey: ["arrival", id, "overlays"],
    queryFn: () => answer(GET("/api/imports/{id}/overlays", path(id))),
    enabled,
  });

export const usePutImported = (id: string) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: ImportedBoard) => answer(POST("/api/imports/{id}/board", { ...path(id), body })),
    onSuccess: () => {
      for (const key of ["bench", "catalogue", "cards", "shelves", "boots"])
        void queries.invalidateQueries({ queryKey: [key] });
    },
  });
};

/** What the newest log of a board would add to its card. */
export const useLessons = (id: string) =>
  useQuery({ queryKey: ["board", id, "lessons"], queryFn: () => answer(GET("/api/boards/{id}/lessons", path(id))) });

const useProfileEdit = <T, V>(id: string, change: (input: V) => Promise<T>) => {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    onSuccess: () => {
      for (const key of [["board", id], ["bench"], ["catalogue"], ["cards"]])
        void queries.invalidateQueries({ queryKey: key });
    },
  });
};

export const useTellFacts = (id: string) =>
  useProfileEdit(id, (body: { field: string; value: string; wasUnknown: boolean }[]) =>
    answer(POST("/api/boards/{id}/facts", { ...path(id), body })),
  );

/** Takes what the log teaches; a field that contradicts a person's word only by its name. */
export const useTakeLessons = (id: string) =>
  useProfileEdit(id, (field: string | null) =>
    answer(POST("/api/boards/{id}/lessons", { params: { path: { id }, query: field === null ? {} : { field } } })),
  );

/** The photos of a board. */
export const usePhotos = (id: string) =>
  useQuery({ queryKey: ["photos", id], queryFn: () => answer(GET("/api/boards/{id}/photos", path(id))) });

/** Keeps a picture as a photo of a board. */
export const useAddPhoto = (id: string) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (file: File) => {
      const jpeg = await asPhoto(file);
      return answer(
        POST("/api/boards/{id}/photos", {
          ...path(id),
          headers: { "Content-Type": "image/jpeg" },
          body: "",
          bodySerializer: () => jpeg,
        }),
      );
    },
    onSuccess: (photos) => queries.setQueryData(["photos", id], photos),
  });
};

/** Says what a photo shows. */
export const useSayPhoto = (id: string) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id: photo, says }: { id: string; says: string }) =>
      answer(PUT("/api/photos/{id}", { ...path(photo), body: { says } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["photos", id] }),
  });
};

export const useSaveBoard = (id: string | undefined) => {
  const queries = useQueryClient();
  return useChange(async (body: BoardInput) => {
    try {
      return await (id
        ? answer(PUT("/api/boards/{id}", { params: { path: { id } }, body }))
        : answer(POST("/api/boards", { body })));
    } catch (error) {
      // Somebody else may have been faster: what stands there now is asked for.
      if (id) await queries.invalidateQueries({ queryKey: ["board", id] });
      throw error;
    }
  }, id);
};
