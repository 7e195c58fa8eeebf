import { useRef, useState } from "react";
import { answer, DELETE, POST, PUT } from "./api";

const sliceBytes = 16 * 2 ** 20;

/** An upload as it stands; `receivedBytes` of the file have arrived on the server's disk. */
export type Upload = { name: string; totalBytes: number; receivedBytes: number; running: boolean };

/** Sends a large file piece by piece; what arrived stays when the connection breaks, and the same file goes on from there. */
export function useUpload(onArrived: (path: string) => void) {
  const [upload, setUpload] = useState<Upload | null>(null);
  const [error, setError] = useState<unknown>(null);
  const stop = useRef<AbortController | null>(null);
  const id = useRef<string | null>(null);

  const send = async (file: File) => {
    const aborter = new AbortController();
    stop.current = aborter;
    setError(null);
    try {
      let state = await answer(
        POST("/api/uploads", { body: { name: file.name, totalBytes: file.size, stamp: file.lastModified } }),
      );
      id.current = state.id;
      setUpload({ name: file.name, totalBytes: file.size, receivedBytes: state.receivedBytes, running: true });
      while (state.path === null) {
        const from = state.receivedBytes;
        state = await answer(
          PUT("/api/uploads/{id}", {
            params: { path: { id: state.id }, query: { from } },
            body: file.slice(from, from + sliceBytes) as never,
            bodySerializer: (body: unknown) => body as Blob,
            headers: { "Content-Type": "application/octet-stream" },
            signal: aborter.signal,
          }),
        );
        setUpload({ name: file.name, totalBytes: file.size, receivedBytes: state.receivedBytes, running: true });
        if (aborter.signal.aborted) return;
      }
      setUpload(null);
      onArrived(state.path);
    } catch (problem) {
      setUpload((u) => u && { ...u, running: false });
      if (!aborter.signal.aborted) setError(problem);
    }
  };

  return {
    upload,
    error,
    send: (file: File) => void send(file),
    /** Stops sending; what arrived stays. */
    pause: () => {
      stop.current?.abort();
      setUpload((u) => u && { ...u, running: false });
    },
    /** Stops sending and throws away what arrived. */
    cancel: () => {
      stop.current?.abort();
      if (id.current)
        void answer(DELETE("/api/uploads/{id}", { params: { path: { id: id.current } } })).catch(() => undefined);
      setUpload(null);
    },
  };
}
