import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, DELETE, GET, POST } from "../shared/api";
import { path, useProfileChange } from "../shared/queries";

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
  useProfileChange((inspectionId: string) => answer(POST("/api/inspections/{id}/card", path(inspectionId))));

/** What was found in an image of the shelf when it was looked into. */
export const useFound = (imageId: string, enabled: boolean) =>
  useQuery({
    queryKey: ["found", imageId],
    queryFn: () => answer(GET("/api/images/{id}/inspection", path(imageId))),
    enabled,
    staleTime: Infinity,
  });

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
