import { HubConnectionBuilder, LogLevel } from "@microsoft/signalr";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answer, DELETE, GET, POST, PUT } from "./api";
import type {
  ArrivedBoard,
  BoardInput,
  BoardModel,
  CardOrder,
  CheckAnswer,
  Clues,
  Correction,
  FirstBootInput,
  PartInput,
  Problem,
  SimulatedCardSetup,
} from "./api";
import { asPhoto } from "../boards/pictures";
import { base64 } from "./files";
import { ProblemError } from "./api";

export const useBench = () => useQuery({ queryKey: ["bench"], queryFn: () => answer(GET("/api/bench")) });
export const useShelves = () => useQuery({ queryKey: ["shelves"], queryFn: () => answer(GET("/api/shelves")) });
export const useCatalogue = () =>
  useQuery({ queryKey: ["catalogue"], queryFn: () => answer(GET("/api/catalogue")), staleTime: Infinity });
export const useFaults = () =>
  useQuery({ queryKey: ["faults"], queryFn: () => answer(GET("/api/faults")), staleTime: Infinity });
export const useRules = () =>
  useQuery({ queryKey: ["rules"], queryFn: () => answer(GET("/api/rules")), staleTime: Infinity });
export const useBoots = () => useQuery({ queryKey: ["boots"], queryFn: () => answer(GET("/api/boots")) });
export const usePorts = (enabled: boolean) =>
  useQuery({ queryKey: ["ports"], queryFn: () => answer(GET("/api/ports")), enabled, staleTime: 0 });

const path = (id: string) => ({ params: { path: { id } } });

export const useBoard = (id: string) =>
  useQuery({ queryKey: ["board", id], queryFn: () => answer(GET("/api/boards/{id}", path(id))) });
/** How systems lie on their media. */
export type School = "one-card" | "boot-menu" | "loader-on-card" | "flash-later";
/** What a person wants of an image for a board. */
export type Wish = { screen: boolean; longTerm: boolean; school: School };
export const useMatches = (id: string, wish: Wish) =>
  useQuery({
    queryKey: ["board", id, "matches", wish],
    queryFn: () => answer(GET("/api/boards/{id}/matches", { params: { path: { id }, query: wish } })),
    placeholderData: keepPreviousData,
  });
export const usePreparation = (id: string, recoveryMiB: number) =>
  useQuery({
    queryKey: ["board", id, "preparation", recoveryMiB],
    queryFn: () => answer(GET("/api/boards/{id}/preparation", { params: { path: { id }, query: { recoveryMiB } } })),
    placeholderData: keepPreviousData,
    refetchInterval: (query) => (query.state.data?.looking ? 1000 : false),
  });
export const useConnection = (id: string) =>
  useQuery({
    queryKey: ["board", id, "connection"],
    queryFn: () => answer(GET("/api/boards/{id}/connection", path(id))),
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
export const useSettings = (id: string) =>
  useQuery({ queryKey: ["board", id, "settings"], queryFn: () => answer(GET("/api/boards/{id}/settings", path(id))) });

export const useBoot = (id: string | undefined) =>
  useQuery({
    queryKey: ["boot", id],
    queryFn: () => answer(GET("/api/boots/{id}", path(id ?? ""))),
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data?.live && !query.state.data.settled ? 5000 : false),
  });
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

/** Hears from the server which boot changed and asks again for what the page shows of it. */
export function useLiveBench() {
  const queries = useQueryClient();
  useEffect(() => {
    const hub = new HubConnectionBuilder()
      .withUrl("/hub")
      .withAutomaticReconnect([0, 500, 1000, 2000, 5000, 10000])
      .configureLogging(LogLevel.None)
      .build();
    const boots = new Set<string>();
    const boards = new Set<string>();
    hub.on("bootChanged", (boardId: string | null, bootId: string) => {
      boots.add(bootId);
      if (boardId) boards.add(boardId);
    });
    // Changes come faster than pages are drawn: what changed is asked for once the answer before has arrived.
    const console = setInterval(() => {
      for (const bootId of boots) {
        if (queries.isFetching({ queryKey: ["boot", bootId] }) > 0) continue;
        boots.delete(bootId);
        void queries.invalidateQueries({ queryKey: ["boot", bootId] });
        void queries.invalidateQueries({ queryKey: ["lines", bootId] });
      }
    }, 150);
    // Words, seam and next thing are read, not watched: twice a second is soon enough, however many boards print.
    const bench = setInterval(() => {
      if (boards.size === 0 || queries.isFetching({ queryKey: ["bench"] }) > 0) return;
      for (const boardId of boards) void queries.invalidateQueries({ queryKey: ["board", boardId] });
      boards.clear();
      void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["boots"] });
    }, 500);
    hub.onreconnected(() => void queries.invalidateQueries());
    const started = hub.start().catch(() => undefined);
    return () => {
      clearInterval(console);
      clearInterval(bench);
      void started.then(() => hub.stop());
    };
  }, [queries]);
}

function useChange<V, T>(change: (variables: V) => Promise<T>, boardId?: string, bootId?: string) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    onSuccess: (answered) => {
      // An answer that is the board as it stands now is shown at once: seam and next thing are never behind.
      if (boardId && typeof answered === "object" && answered !== null && "seam" in answered && "board" in answered)
        queries.setQueryData(["board", boardId], answered);
      void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["boots"] });
      void queries.invalidateQueries({ queryKey: ["shelves"] });
      if (boardId) void queries.invalidateQueries({ queryKey: ["board", boardId] });
      if (bootId) void queries.invalidateQueries({ queryKey: ["boot", bootId] });
    },
  });
}

export const useChooseImage = (id: string) =>
  useChange(
    (imageId: string) => answer(PUT("/api/boards/{id}/image", { params: { path: { id } }, body: { imageId } })),
    id,
  );
export const useCorrect = (id: string) =>
  useChange((body: Correction) => answer(POST("/api/boards/{id}/corrections", { params: { path: { id } }, body })), id);
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
export const useKeep = (id: string) =>
  useChange(
    (body: { bootId: string; notes: string; hostname: string | null; rootDevice: string | null }) =>
      answer(POST("/api/boards/{id}/settings", { params: { path: { id } }, body })),
    id,
  );

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

/** Tells which board it is from all that is known of it. */
export const useIdentify = () =>
  useMutation({ mutationFn: (body: Clues) => answer(POST("/api/identification", { body })) });

/** Drafts a board card from what can be read. */
export const useDraft = () => useMutation({ mutationFn: (body: Clues) => answer(POST("/api/cards/drafts", { body })) });

/** A change of the cards: the catalogue and what is matched from it are asked for again. */
function useCardChange<V, T>(change: (variables: V) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["catalogue"] });
      for (const key of ["cards", "shelves", "board"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
}

/** The ids of the cards that were added to those that ship. */
export const useAddedCards = () => useQuery({ queryKey: ["cards"], queryFn: () => answer(GET("/api/cards")) });
export const useAddBoardCard = () => useCardChange((body: BoardModel) => answer(POST("/api/cards/boards", { body })));
export const useImportCards = () =>
  useCardChange(async (file: File) =>
    answer(POST("/api/cards/imports", { body: { name: file.name, yaml: await file.text() } })),
  );

const removals = {
  board: "/api/boards/{id}",
  log: "/api/logs/{id}",
  correction: "/api/corrections/{id}",
  recipe: "/api/recipes/{id}",
  "board-card": "/api/cards/board/{id}",
  "image-card": "/api/cards/image/{id}",
  "code-card": "/api/cards/code/{id}",
  photo: "/api/photos/{id}",
  supply: "/api/parts/supply/{id}",
  part: "/api/parts/part/{id}",
  adapter: "/api/parts/adapter/{id}",
} as const;
/** Kinds of things that can be removed and taken back. */
export type RemovedKind = keyof typeof removals;
export const useRemoved = () => useQuery({ queryKey: ["removed"], queryFn: () => answer(GET("/api/removed")) });

/** A removal, or its taking back: it can change anything that is shown. */
function useRemoval<V extends { id: string }, T>(change: (variables: V) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation<T, Error, V>({
    mutationFn: change,
    // What was removed itself is not asked for again.
    onSuccess: (_, { id }) => queries.invalidateQueries({ predicate: (q) => q.queryKey[1] !== id }),
  });
}
export const useRemove = () =>
  useRemoval(({ kind, id }: { kind: RemovedKind; id: string }) => answer(DELETE(removals[kind], path(id))));
export const useRestore = () =>
  useRemoval(({ kind, id }: { kind: string; id: string }) =>
    answer(POST("/api/removed/{kind}/{id}/restore", { params: { path: { kind, id } } })),
  );

/** Starts to look into an image file on the server's computer; gives the id of the inspection. */
export const useInspect = () =>
  useMutation({
    mutationFn: (body: { path: string; boardId: string | null; sum: string | null }) =>
      answer(POST("/api/inspections", { body })),
  });
/** How an inspection stands; asked again while it runs. */
export const useInspection = (id: string | undefined) =>
  useQuery({
    queryKey: ["inspection", id],
    queryFn: () => answer(GET("/api/inspections/{id}", path(id ?? ""))),
    enabled: id !== undefined,
    staleTime: Infinity,
    refetchInterval: (query) => (query.state.data?.running === false || query.state.error ? false : 400),
  });
export const useStopInspection = () =>
  useMutation({ mutationFn: (id: string) => answer(DELETE("/api/inspections/{id}", path(id))) });
/** Makes a copy of an inspected image with the lines changed that its dry boot names, and looks into the copy. */
export const useMendCopy = () =>
  useMutation({ mutationFn: (id: string) => answer(POST("/api/inspections/{id}/mended", path(id))) });
export const useShelveImage = () =>
  useCardChange((inspectionId: string) => answer(POST("/api/inspections/{id}/card", path(inspectionId))));
/** What was found in an image of the shelf when it was looked into. */
export const useFound = (imageId: string, enabled: boolean) =>
  useQuery({
    queryKey: ["found", imageId],
    queryFn: () => answer(GET("/api/images/{id}/inspection", path(imageId))),
    enabled,
    staleTime: Infinity,
  });

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

/** Brings something to the bench: a path on the server's computer, or text. */
export const useArrive = () =>
  useMutation({
    mutationFn: (body: { path: string | null; text: string | null }) => answer(POST("/api/arrivals", { body })),
  });
/** What came in, while it is being looked into. */
export const useArrival = (id: string | undefined) =>
  useQuery({
    queryKey: ["arrival", id],
    queryFn: () => answer(GET("/api/arrivals/{id}", path(id ?? ""))),
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data?.running ? 300 : false),
  });
export const useForgetArrival = () =>
  useMutation({ mutationFn: (id: string) => answer(DELETE("/api/arrivals/{id}", path(id))) });
/** The boards whose device trees came in, those that fit the words first. */
export const useArrivedTrees = (id: string, words: string, enabled: boolean) =>
  useQuery({
    queryKey: ["arrival", id, "trees", words],
    queryFn: () => answer(GET("/api/arrivals/{id}/trees", { params: { path: { id }, query: { words } } })),
    placeholderData: keepPreviousData,
    enabled,
  });
/** The card that would come of it: what was read, and what nothing tells. */
export const useArrivedDraft = (id: string, tree: string | null, overlays: string[], enabled: boolean) =>
  useQuery({
    queryKey: ["arrival", id, "draft", tree, overlays],
    queryFn: () =>
      answer(
        GET("/api/arrivals/{id}/draft", {
          params: { path: { id }, query: tree === null ? {} : { tree, overlay: overlays } },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled,
  });
/** The overlays that came in beside the trees. */
export const useArrivedOverlays = (id: string, enabled: boolean) =>
  useQuery({
    queryKey: ["arrival", id, "overlays"],
    queryFn: () => answer(GET("/api/arrivals/{id}/overlays", path(id))),
    enabled,
  });
export const usePutArrived = (id: string) => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: ArrivedBoard) => answer(POST("/api/arrivals/{id}/board", { ...path(id), body })),
    onSuccess: () => {
      for (const key of ["bench", "catalogue", "cards", "shelves", "boots"])
        void queries.invalidateQueries({ queryKey: [key] });
    },
  });
};

/** What the newest log of a board would add to its card. */
export const useLessons = (id: string) =>
  useQuery({ queryKey: ["board", id, "lessons"], queryFn: () => answer(GET("/api/boards/{id}/lessons", path(id))) });
/** The last changes, of one board and its card or of everything. */
export const useEdits = (board?: string) =>
  useQuery({
    queryKey: ["edits", board],
    queryFn: () => answer(GET("/api/edits", { params: { query: board === undefined ? {} : { board } } })),
  });
/** Takes a change back; it may have been one of anything that is shown. */
export const useUndoEdit = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (id: number) => answer(POST("/api/edits/{id}/undo", { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries(),
  });
};
const useCardEdit = <T, V>(id: string, change: (input: V) => Promise<T>) => {
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
  useCardEdit(id, (body: { field: string; value: string; wasUnknown: boolean }[]) =>
    answer(POST("/api/boards/{id}/facts", { ...path(id), body })),
  );
/** Takes what the log teaches; a field that contradicts a person's word only by its name. */
export const useTakeLessons = (id: string) =>
  useCardEdit(id, (field: string | null) =>
    answer(POST("/api/boards/{id}/lessons", { params: { path: { id }, query: field === null ? {} : { field } } })),
  );

/** Adds a supply, a part or an adapter of one's own. */
export const useAddPart = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: PartInput) => answer(POST("/api/parts", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["catalogue"] }),
  });
};

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

/** What lies in the folders of downloads, looked at again while it is shown. */
export const useDownloads = () =>
  useQuery({ queryKey: ["downloads"], queryFn: () => answer(GET("/api/downloads")), refetchInterval: 4000 });
export const useWatchFolder = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (folder: string) => answer(POST("/api/downloads", { body: { path: folder } })),
    onSuccess: (now) => queries.setQueryData(["downloads"], now),
  });
};
export const useLeaveFolder = () => {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (folder: string) => answer(DELETE("/api/downloads", { params: { query: { path: folder } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["downloads"] }),
  });
};
