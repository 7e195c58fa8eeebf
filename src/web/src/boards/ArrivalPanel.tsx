import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useSearchParams } from "react-router";
import { ProblemNote } from "../shared/ProblemNote";
import { Progress } from "../shared/Progress";
import { useArrival, useArrive, useForgetArrival } from "./queries";
import { useDrop } from "../shared/useDrop";
import { useUpload } from "../shared/useUpload";
import { DownloadFolders } from "../images/DownloadFolders";
import { ArrivedChoice } from "./ArrivedChoice";
import styles from "./Boards.module.css";

/** Takes whatever lies in front of a person, tells what it is, and goes on from there to a board on the bench. */
export function ArrivalPanel({ level = 1 }: { level?: 1 | 2 }) {
  const arrive = useArrive();
  const forget = useForgetArrival();
  const [parameters, setParameters] = useSearchParams();
  const id = parameters.get("arrival") ?? undefined;
  const arrival = useArrival(id);
  const [typed, setTyped] = useState("");
  const bring = (what: { path: string | null; text: string | null }) =>
    arrive.mutate(what, {
      onSuccess: (came) => setParameters({ arrival: came.id }, { replace: true }),
    });
  const arriving = useUpload((path) => bring({ path, text: null }));
  const { over, handlers } = useDrop(arriving.send);
  const came = arrival.data;
  const Title = level === 1 ? "h1" : "h2";
  return (
    <section className={styles.arrival} aria-labelledby="arrival-title">
      <Title id="arrival-title">What lies in front of you?</Title>
      <p className="lead">
        Begin with anything: an image, a log, a device tree, a kernel package, or the words on the board.
      </p>
      <Form
        className={`${styles.arrivalDrop} ${over ? styles.over : ""}`}
        {...handlers}
        onSubmit={(e) => {
          e.preventDefault();
          const words = typed.trim();
          if (words.startsWith("/") && !words.includes("\n")) bring({ path: words, text: null });
          else if (words !== "") bring({ path: null, text: typed });
        }}
      >
        <Form.Group controlId="arrival-file">
          <Form.Label>Drop it here, or choose a file</Form.Label>
          <Form.Control
            type="file"
            onChange={(e) => {
              const file = (e.target as HTMLInputElement).files?.[0];
              if (file) arriving.send(file);
            }}
          />
          <p className="quiet">What it is, is read from its content. A file that is named by its path is not copied.</p>
        </Form.Group>
        <Form.Group controlId="arrival-words">
          <Form.Label>Or what is printed on the board, a path, or a text</Form.Label>
          <Form.Control
            as="textarea"
            rows={2}
            autoFocus
            value={typed}
            spellCheck={false}
            onChange={(e) => setTyped(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === "Enter" && !e.shiftKey && !typed.includes("\n")) {
                e.preventDefault();
                e.currentTarget.form?.requestSubmit();
              }
            }}
          />
        </Form.Group>
        <Button type="submit" variant="outline-primary" disabled={arrive.isPending || typed.trim() === ""}>
          Look at it
        </Button>
      </Form>
      <DownloadFolders onLook={(path) => bring({ path, text: null })} />
      {arriving.upload && (
        <Progress
          name={`Sending ${arriving.upload.name}`}
          done={arriving.upload.receivedBytes}
          total={arriving.upload.totalBytes}
        >
          <Button variant="outline-secondary" size="sm" onClick={arriving.cancel}>
            Throw away what arrived
          </Button>
        </Progress>
      )}
      {came?.running && (
        <Progress name="Looking into it" done={came.doneBytes} total={came.totalBytes}>
          <Button
            variant="outline-secondary"
            size="sm"
            onClick={() => forget.mutate(came.id, { onSuccess: () => setParameters({}, { replace: true }) })}
          >
            Stop
          </Button>
        </Progress>
      )}
      <ProblemNote error={arrive.error ?? arriving.error ?? arrival.error ?? came?.problem} />
      {came && !came.running && came.problem === null && <ArrivedChoice key={came.id} came={came} />}
    </section>
  );
}
