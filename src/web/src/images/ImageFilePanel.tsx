import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useSearchParams } from "react-router";
import type { Inspection } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { Progress } from "../shared/Progress";
import { useBench } from "../shared/queries";
import { useInspect, useInspection, useMendCopy, useShelveImage, useStopInspection } from "./queries";
import { useDrop } from "../shared/useDrop";
import { useUpload } from "../shared/useUpload";
import { binary } from "../shared/words";
import { DownloadFolders } from "./DownloadFolders";
import { FoundImage } from "./FoundImage";
import styles from "./Images.module.css";

/** How many lines the dry boot would change. */
const changes = (i: Inspection) =>
  new Set(i.dryBoot?.steps.filter((s) => s.edit).map((s) => JSON.stringify(s.edit))).size;

/** Looks into an image file, sent from here or lying on the server's computer, and plays its boot on a board without starting it. */
export function ImageFilePanel() {
  const bench = useBench();
  const inspect = useInspect();
  const stop = useStopInspection();
  const shelve = useShelveImage();
  const mend = useMendCopy();
  const [parameters, setParameters] = useSearchParams();
  const id = parameters.get("inspection") ?? undefined;
  const inspection = useInspection(id);
  const [path, setPath] = useState("");
  const [sum, setSum] = useState("");
  const [boardId, setBoardId] = useState("");
  const open = (started: { id: string }) => {
    shelve.reset();
    setParameters({ inspection: started.id }, { replace: true });
  };
  const look = (at: string) =>
    inspect.mutate({ path: at, boardId: boardId || null, sum: sum.trim() || null }, { onSuccess: open });
  const arriving = useUpload((arrived) => {
    setPath(arrived);
    look(arrived);
  });
  const { over, handlers } = useDrop(arriving.send);
  const state = inspection.data;
  const running = inspect.isPending || state?.running === true;
  return (
    <section className={`${styles.inspect} ${over ? styles.over : ""}`} aria-labelledby="inspect-title" {...handlers}>
      <h2 id="inspect-title">Look into an image file</h2>
      <Form
        className="source-row"
        onSubmit={(e) => {
          e.preventDefault();
          look(path.trim());
        }}
      >
        <Form.Group controlId="image-path" className="grow">
          <Form.Label>Path on this computer: raw, or packed as gz, xz, zst, bz2, zip or 7z</Form.Label>
          <Form.Control
            value={path}
            required
            spellCheck={false}
            placeholder="/home/you/downloads/image.img.xz"
            onChange={(e) => setPath(e.target.value)}
          />
        </Form.Group>
        <Form.Group controlId="image-board">
          <Form.Label>Dry boot on</Form.Label>
          <Form.Select value={boardId} onChange={(e) => setBoardId(e.target.value)}>
            <option value="">no board</option>
            {bench.data?.map((b) => (
              <option key={b.id} value={b.id}>
                {b.nickname}, {b.model}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <Button type="submit" variant="primary" disabled={running}>
          Look into it
        </Button>
        <Form.Group controlId="image-file" className="grow">
          <Form.Label>Or choose or drop a file of up to 8 GiB here</Form.Label>
          <Form.Control
            type="file"
            onChange={(e) => {
              const file = (e.target as HTMLInputElement).files?.[0];
              if (file) arriving.send(file);
            }}
          />
        </Form.Group>
        <Form.Group controlId="image-sum" className="grow">
          <Form.Label>Published SHA-256, or the lines of a sums file (may stay empty)</Form.Label>
          <Form.Control
            as="textarea"
            rows={1}
            value={sum}
            spellCheck={false}
            onChange={(e) => setSum(e.target.value)}
          />
        </Form.Group>
      </Form>
      <DownloadFolders
        onLook={(at) => {
          setPath(at);
          look(at);
        }}
      />
      {arriving.upload && (
        <Progress
          name={`Sending ${arriving.upload.name}`}
          done={arriving.upload.receivedBytes}
          total={arriving.upload.totalBytes}
        >
          {arriving.upload.running ? (
            <Button variant="outline-secondary" size="sm" onClick={arriving.pause}>
              Pause
            </Button>
          ) : (
            <span className="quiet">Paused. Choose the same file again and it goes on from here.</span>
          )}
          <Button variant="outline-secondary" size="sm" onClick={arriving.cancel}>
            Throw away what arrived
          </Button>
        </Progress>
      )}
      {state?.running && (
        <Progress
          name={state.mendedFrom ? "Copying, then reading the copy" : "Reading"}
          done={state.doneBytes}
          total={state.totalBytes}
        >
          <Button variant="outline-secondary" size="sm" onClick={() => stop.mutate(state.id)}>
            Stop
          </Button>
        </Progress>
      )}
      <ProblemNote error={arriving.error ?? inspect.error ?? inspection.error ?? state?.problem} />
      {state?.inspection && (
        <>
          <p role="status" className="quiet">
            {state.path}
            {state.mendedFrom && <>, a copy of {state.mendedFrom} with the lines changed that its dry boot named.</>}
            {state.checksumAgrees && <span className="chosen"> The checksum is the published one.</span>}
          </p>
          <FoundImage inspection={state.inspection} />
          {changes(state.inspection) > 0 && (
            <p>
              <Button
                variant="primary"
                disabled={mend.isPending}
                onClick={() => mend.mutate(state.id, { onSuccess: open })}
              >
                {changes(state.inspection) === 1
                  ? "Make this change in a copy"
                  : `Make these ${changes(state.inspection)} changes in a copy`}
              </Button>{" "}
              <span className="quiet">The image stays as it is; the copy is looked into at once.</span>
            </p>
          )}
          <ProblemNote error={mend.error} />
          {state.inspection.nature == null && (
            <p>
              <Button
                variant="outline-secondary"
                disabled={shelve.isPending || shelve.isSuccess}
                onClick={() => shelve.mutate(state.id)}
              >
                Put it on the shelf
              </Button>{" "}
              {shelve.data && (
                <span role="status">
                  {shelve.data.name} {shelve.data.version} is on the shelf, {binary(shelve.data.expandedBytes)}{" "}
                  unpacked.
                </span>
              )}
            </p>
          )}
          <ProblemNote error={shelve.error} />
        </>
      )}
    </section>
  );
}
