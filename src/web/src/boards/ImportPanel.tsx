import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useSearchParams } from "react-router";
import type { Import } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { Progress } from "../shared/Progress";
import { useImports, useArrive, useForgetImport } from "./queries";
import { useDrop } from "../shared/useDrop";
import { useUpload } from "../shared/useUpload";
import { DownloadFolders } from "../images/DownloadFolders";
import { ImportChoice } from "./ImportChoice";
import styles from "./Boards.module.css";

const parametersOf = (ids: string[]) => ids.map((id): [string, string] => ["arrival", id]);

/** Whether a board can be told by what came in; an image without a device tree names none. */
const tellsBoard = (a: Import) => a.kind !== "image" || a.trees > 0 || a.candidates.length > 0;

/** Takes whatever lies in front of a person, tells what it is, and goes on from there to a board on the bench. */
export function ImportPanel({ level = 1 }: { level?: 1 | 2 }) {
  const arrive = useArrive();
  const forget = useForgetImport();
  const [parameters, setParameters] = useSearchParams();
  const ids = parameters.getAll("arrival");
  const hands = useImports(ids);
  const [typed, setTyped] = useState("");
  const bring = (what: { path: string | null; text: string | null }) =>
    arrive.mutate(what, {
      // What came before stays in the hands until it is used.
      onSuccess: (came) => setParameters(parametersOf([...ids, came.id]), { replace: true }),
    });
  const putDown = (id: string) =>
    forget.mutate(id, {
      onSettled: () => setParameters(parametersOf(ids.filter((i) => i !== id)), { replace: true }),
    });
  const arriving = useUpload((path) => bring({ path, text: null }));
  const { over, handlers } = useDrop(arriving.send);
  const all = hands.flatMap((h) => (h.data ? [h.data] : []));
  const ready = all.filter((a) => !a.running && a.problem === null);
  const came = ready.findLast(tellsBoard) ?? ready.at(-1);
  const others = all.filter((a) => a !== came);
  const Title = level === 1 ? "h1" : "h2";
  return (
    <section className={styles.arrival} aria-labelledby="arrival-title">
      <Title id="arrival-title">What lies in front of you?</Title>
      <p className="lead">
        Begin with anything: an image, a log, a device tree, a kernel package, or the words on the board.
      </p>
      <Form
        className={`${styles.importDrop} ${over ? styles.over : ""}`}
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
      {others.map((a) =>
        a.running ? (
          <Progress key={a.id} name="Looking into it" done={a.doneBytes} total={a.totalBytes}>
            <Button variant="outline-secondary" size="sm" onClick={() => putDown(a.id)}>
              Stop
            </Button>
          </Progress>
        ) : a.problem ? (
          <ProblemNote key={a.id} error={a.problem} />
        ) : (
          <p key={a.id}>
            <strong>Also at hand:</strong> {a.says}{" "}
            <Button variant="link" size="sm" onClick={() => putDown(a.id)}>
              Put it aside
            </Button>
          </p>
        ),
      )}
      <ProblemNote error={arrive.error ?? arriving.error ?? hands.find((h) => h.error)?.error} />
      {came && (
        <ImportChoice
          key={came.id}
          came={came}
          besides={others.filter((a) => !a.running && a.problem === null).map((a) => a.id)}
        />
      )}
    </section>
  );
}
