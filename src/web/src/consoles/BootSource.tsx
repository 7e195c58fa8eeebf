import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardView } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useDropLog, usePorts, useStartBoot } from "./queries";
import { useDrop } from "../shared/useDrop";
import { percent } from "../shared/words";
import styles from "./Boot.module.css";

/** Where the console comes from: a simulated board, a serial port of this computer, or a log file. */
export function BootSource({ view, onBoot }: { view: BoardView; onBoot: (id: string) => void }) {
  const { board, model } = view;
  const [source, setSource] = useState(board.simulated ? "simulated" : "port");
  const [chosen, setChosen] = useState("");
  const [speed, setSpeed] = useState(String(model.console.speed));
  const [sent, setSent] = useState<number | null>(null);
  const ports = usePorts(source === "port");
  const start = useStartBoot(board.id);
  const drop = useDropLog(board.id, setSent);
  const port = chosen || ports.data?.[0]?.path || "";
  const send = (file: File | undefined) => {
    if (file) drop.mutate(file, { onSuccess: (boot) => onBoot(boot.id), onSettled: () => setSent(null) });
  };
  const { over, handlers } = useDrop(send);
  return (
    <Form
      className={`${styles.choose} ${over ? styles.over : ""}`}
      onSubmit={(e) => {
        e.preventDefault();
        start.mutate(
          { source: source === "simulated" ? "simulated" : port, speed: Number(speed) },
          { onSuccess: (boot) => onBoot(boot.id) },
        );
      }}
      {...handlers}
    >
      <fieldset>
        <legend>Console from</legend>
        <div className="choices">
          {board.simulated && (
            <Form.Check
              type="radio"
              id="source-simulated"
              name="source"
              label="The simulated board"
              checked={source === "simulated"}
              onChange={() => setSource("simulated")}
            />
          )}
          <Form.Check
            type="radio"
            id="source-port"
            name="source"
            label="A serial port"
            checked={source === "port"}
            onChange={() => setSource("port")}
          />
          <Form.Check
            type="radio"
            id="source-log"
            name="source"
            label="A log file"
            checked={source === "log"}
            onChange={() => setSource("log")}
          />
        </div>
      </fieldset>
      {source === "log" ? (
        <div className="source-row">
          <Form.Group controlId="log-file">
            <Form.Label>A console log, up to 64 MiB; it can also be dropped here</Form.Label>
            <Form.Control type="file" onChange={(e) => send((e.target as HTMLInputElement).files?.[0])} />
          </Form.Group>
          <p role="status">{sent === null ? "" : `Sending, ${percent(sent)}`}</p>
        </div>
      ) : (
        <div className="source-row">
          {source === "port" && (
            <Form.Group controlId="port">
              <Form.Label>Port, or another path under /dev</Form.Label>
              <Form.Control
                list="ports"
                value={chosen}
                placeholder={port}
                onChange={(e) => setChosen(e.target.value)}
              />
              <datalist id="ports">
                {ports.data?.map((p) => (
                  <option key={p.path} value={p.path}>
                    {p.name}
                  </option>
                ))}
              </datalist>
              {ports.data && ports.data.length > 0 && (
                <ul className={styles.ports}>
                  {ports.data.map((p) => (
                    <li key={p.path}>
                      <button type="button" className="link" onClick={() => setChosen(p.path)}>
                        {p.name}
                      </button>
                    </li>
                  ))}
                </ul>
              )}
            </Form.Group>
          )}
          <Form.Group controlId="speed">
            <Form.Label>Speed, bits a second</Form.Label>
            <Form.Control value={speed} inputMode="numeric" onChange={(e) => setSpeed(e.target.value)} list="speeds" />
            <datalist id="speeds">
              {[9600, 57600, 115200, 921600, 1500000].map((s) => (
                <option key={s} value={s} />
              ))}
            </datalist>
          </Form.Group>
          <Button type="submit" variant="outline-secondary" disabled={start.isPending}>
            {source === "simulated" ? "Power on" : "Open the console"}
          </Button>
        </div>
      )}
      <ProblemNote error={start.error ?? drop.error} />
    </Form>
  );
}
