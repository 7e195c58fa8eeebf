import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answer, GET } from "../shared/api";

/** How systems lie on their media. */
export type StorageLayout = "one-card" | "boot-menu" | "loader-on-card" | "flash-later";

/** What a person wants of an image for a board. */
export type Wish = { screen: boolean; longTerm: boolean; layout: StorageLayout };

export const useMatches = (id: string, wish: Wish) =>
  useQuery({
    queryKey: ["board", id, "matches", wish],
    queryFn: () => answer(GET("/api/boards/{id}/matches", { params: { path: { id }, query: wish } })),
    placeholderData: keepPreviousData,
  });
