import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answer, POST } from "../shared/api";
import type { Preparation } from "../shared/api";
import type { FirstBootDraft } from "./firstBootDraft";

/** How long typing rests before the files are asked for. */
const restMilliseconds = 250;

/** The files as they will be written with what stands in the form now, and what of it is not right. */
export function useFirstBootPreview(boardId: string, p: Preparation, draft: FirstBootDraft) {
  const [rested, setRested] = useState(draft.input);
  useEffect(() => {
    const timer = setTimeout(() => setRested(draft.input), restMilliseconds);
    return () => clearTimeout(timer);
  }, [draft.input]);
  const preview = useQuery({
    queryKey: ["board", boardId, "preview", rested, p.version],
    queryFn: ({ signal }) =>
      answer(POST("/api/boards/{id}/first-boot/preview", { params: { path: { id: boardId } }, body: rested, signal })),
    enabled: draft.dirty && !p.looking,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
  const shown = draft.dirty && preview.data ? preview.data : p;
  return { files: shown.files, notes: shown.notes, problems: shown.problems, error: preview.error };
}
