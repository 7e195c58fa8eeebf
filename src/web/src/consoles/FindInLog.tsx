import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, GET } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Boot.module.css";
import { nextOf } from "./nextOf";

/** How long typing rests before the log is searched. */
const restMilliseconds = 250;

/** Finds words in one log: how many lines hold them, and the way from one to the next. */
export function FindInLog({
  bootId,
  from,
  onWords,
  onLine,
  onClose,
}: {
  bootId: string;
  from: number;
  onWords: (words: string) => void;
  onLine: (line: number) => void;
  onClose: () => void;
}) {
  const [text, setText] = useState("");
  const [words, setWords] = useState("");
  useEffect(() => {
    const timer = setTimeout(() => {
      setWords(text);
      onWords(text);
    }, restMilliseconds);
    return () => clearTimeout(timer);
    // What is done with the words may be another function at each drawing.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [text]);
  const found = useQuery({
    // Below "lines": asked for again when the boot changes, as its lines are.
    queryKey: ["lines", bootId, "found", words],
    queryFn: ({ signal }) =>
      answer(GET("/api/boots/{id}/found", { params: { path: { id: bootId }, query: { text: words } }, signal })),
    enabled: words !== "",
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 10_000,
  });
  const lines = words === "" ? [] : (found.data?.lines ?? []);
  const at = lines.indexOf(from);
  const go = (direction: 1 | -1) => {
    const next = nextOf(lines, from, direction);
    if (next !== undefined) onLine(next);
  };
  const count = found.data?.count ?? 0;
  const says =
    words === ""
      ? ""
      : found.isFetching && found.isPlaceholderData
        ? "Searching"
        : count === 0 && !found.isPending
          ? "No line has these words"
          : at >= 0
            ? `${at + 1} of ${count.toLocaleString("en")} ${count === 1 ? "line" : "lines"}`
            : `${count.toLocaleString("en")} ${count === 1 ? "line" : "lines"}`;
  return (
    <div className={styles.find} role="search" aria-label="This log">
      <Form.Control
        autoFocus
        size="sm"
        type="search"
        aria-label="Find in this log"
        placeholder="Find in this log"
        value={text}
        maxLength={200}
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") {
            e.preventDefault();
            go(e.shiftKey ? -1 : 1);
          }
          if (e.key === "Escape") onClose();
        }}
      />
      <span role="status">{says}</span>
      <Button variant="outline-secondary" size="sm" disabled={lines.length === 0} onClick={() => go(-1)}>
        Previous
      </Button>
      <Button variant="outline-secondary" size="sm" disabled={lines.length === 0} onClick={() => go(1)}>
        Next
      </Button>
      <Button variant="outline-secondary" size="sm" onClick={onClose}>
        Close
      </Button>
      <ProblemNote error={found.error} />
    </div>
  );
}
