import { useQueries, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answer, GET } from "../shared/api";
import type { LineView } from "../shared/api";

const linesOfPage = 400;

/** Pages that were only flown over are not asked for. */
const restMilliseconds = 70;

/** The query of one page of console lines; a whole page never changes, the last one is asked for again when the boot changes. */
const linesQuery = (id: string, page: number, total: number, raw = false) => {
  const from = page * linesOfPage + 1;
  return {
    queryKey: ["lines", id, page, raw],
    queryFn: () =>
      answer(GET("/api/boots/{id}/lines", { params: { path: { id }, query: { from, count: linesOfPage, raw } } })),
    staleTime: total >= from + linesOfPage ? Infinity : 0,
    gcTime: 30_000,
  };
};

/** The lines of some pages as far as they have arrived; only wanted pages are asked for. */
function useLinesOfPages(id: string, pages: number[], total: number, wanted: (page: number) => boolean, raw = false) {
  const loaded = useQueries({
    queries: pages.map((page) => ({ ...linesQuery(id, page, total, raw), enabled: wanted(page) })),
  });
  const lines = new Map<number, LineView>();
  for (const page of loaded) for (const line of page.data?.lines ?? []) lines.set(line.number, line);
  return lines;
}

/** Some lines of a log by their numbers, as far as they have arrived. */
export function useLines(id: string, first: number, last: number, total: number, raw = false): Map<number, LineView> {
  const from = Math.max(0, Math.floor((first - 1) / linesOfPage));
  const to = Math.max(from, Math.floor((Math.max(1, last) - 1) / linesOfPage));
  const [rested, setRested] = useState({ from, to });
  useEffect(() => {
    const timer = setTimeout(() => setRested({ from, to }), restMilliseconds);
    return () => clearTimeout(timer);
  }, [from, to]);
  const pages: number[] = [];
  for (let page = from; page <= to; page++) pages.push(page);
  return useLinesOfPages(id, pages, total, (page) => page >= rested.from && page <= rested.to, raw);
}

/** Single lines of a log by their numbers, as far as they have arrived. */
export function useLinesAt(id: string, numbers: number[], total: number): Map<number, LineView> {
  const pages = [...new Set(numbers.map((n) => Math.floor((n - 1) / linesOfPage)))];
  return useLinesOfPages(id, pages, total, () => true);
}

/** Gives the plain text of a range of lines. */
export function useTextOf(id: string, total: number) {
  const queries = useQueryClient();
  return async (first: number, last: number) => {
    const texts: string[] = [];
    for (let page = Math.floor((first - 1) / linesOfPage); page * linesOfPage < last; page++) {
      const { lines } = await queries.fetchQuery(linesQuery(id, page, total));
      for (const line of lines) if (line.number >= first && line.number <= last) texts.push(line.text);
    }
    return texts.join("\n") + "\n";
  };
}
