import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { useSearchParams } from "react-router";
import type { BoardView, FlowControl, PortChoice } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { browserSerial, portName, readPort } from "./browserPort";
import { useDropLog, usePorts, useStartBoot } from "./queries";
import { useDrop } from "../shared/useDrop";
import { percent } from "../shared/words";
import styles from "./Boot.module.css";
import { LineFields } from "./LineFields";

type Kind = "simulated" | "port" | "network" | "browser" | "log";

/** A port as a person chooses it: by what it calls itself, and whether it was plugged in just now. */
function PortName({ port }: { port: PortChoice }) {
  return (
    <>
      {port.name}
      {port.appeared && <strong> plugged in just now</strong>}
    </>
  );
}

/** Where the console comes from: a simulated board, a port of this computer, of the network or of this device, or a log. */
export function BootSource({ view, onBoot }: { view: BoardView; onBoot: (id: string) => void }) {
  const { board, model } = view;
  const [search] = useSearchParams();
  const offered = search.get("port");
  // What was opened last for this board is offered again.
  const last = view.lastConsole;
  const bridge = /^(tcp|rfc2217):(.*)$/.exec(last?.source ?? "");
  const [kind, setKind] = useState<Kind>(
    offered ? "port" : board.simulated ? "simulated" : bridge ? "network" : "port",
  );
  const [chosen, setChosen] = useState(offered ?? (last?.source.startsWith("/") ? last.source : ""));
  const [address, setAddress] = useState(bridge?.[2] ?? "");
  const [bridged, setBridged] = useState(bridge?.[1] !== "tcp");
  const speed = last?.readable ? last.speed : (model.console.speed ?? last?.speed);
  const [line, setLine] = useState({
    speed: speed === undefined ? "" : String(speed),
    frame: last?.frame ?? "8N1",
    flow: last?.flow ?? ("none" as FlowControl),
  });
  const [pasted, setPasted] = useState("");
  const [sent, setSent] = useState<number | null>(null);
  const [error, setError] = useState<unknown>(null);
  const ports = usePorts(kind === "port");
  const start = useStartBoot(board.id);
  const drop = useDropLog(board.id, setSent);
  const serial = browserSerial();
  const newest = ports.data?.find((p) => p.appeared) ?? ports.data?.[0];
  const port = chosen || newest?.path || "";
  const send = (files: File[]) => {
    if (files.length > 0) drop.mutate(files, { onSuccess: (boot) => onBoot(boot.id), onSettled: () => setSent(null) });
  };
  const { over, handlers } = useDrop((file) => send([file]));
  const body = (source: string) => ({
    source,
    speed: line.speed.trim() === "" ? null : Number(line.speed),
    frame: line.frame,
    flow: line.flow,
  });
  const openBrowserPort = async () => {
    setError(null);
    try {
      if (!serial) return;
      const own = await serial.requestPort();
      const boot = await start.mutateAsync(body(`browser:${portName(own)}`));
      if (boot.line) await readPort(boot.id, own, boot.line);
      onBoot(boot.id);
    } catch (problem) {
      // Who closes the browser's list chose nothing, which is no problem.
      if (!(problem instanceof DOMException && problem.name === "NotFoundError")) setError(problem);
    }
  };
  const open = () => {
    if (kind === "browser") void openBrowserPort();
    else
      start.mutate(
        body(
          kind === "simulated"
            ? "simulated"
            : kind === "network"
              ? `${bridged ? "rfc2217" : "tcp"}:${address.trim()}`
              : port,
        ),
        { onSuccess: (boot) => onBoot(boot.id) },
      );
  };
  const kinds: [Kind, string][] = [
    ...(board.simulated ? ([["simulated", "The simulated board"]] as [Kind, string][]) : []),
    ["port", "A serial port"],
    ["network", "A bridge in the network"],
    ...(serial ? ([["browser", "A port of this device, through the browser"]] as [Kind, string][]) : []),
    ["log", "A log file"],
  ];
  return (
    <Form
      className={`${styles.choose} ${over ? styles.over : ""}`}
      onSubmit={(e) => {
        e.preventDefault();
        if (kind === "log") send([new File([pasted], "pasted log", { type: "text/plain" })]);
        else open();
      }}
      {...handlers}
    >
      <fieldset>
        <legend>Console from</legend>
        <div className="choices">
          {kinds.map(([value, name]) => (
            <Form.Check
              key={value}
              type="radio"
              id={`source-${value}`}
              name="source"
              label={name}
              checked={kind === value}
              onChange={() => setKind(value)}
            />
          ))}
        </div>
      </fieldset>
      {kind === "log" ? (
        <>
          <Form.Group controlId="log-file">
            <Form.Label>
              A console log, plain or with times (stamped lines, asciicast), a typescript together with its timing, or a
              zip; up to 64 MiB; it can also be dropped here
            </Form.Label>
            <Form.Control
              type="file"
              multiple
              onChange={(e) => send([...((e.target as HTMLInputElement).files ?? [])])}
            />
          </Form.Group>
          <Form.Group controlId="log-text" className="mt-2">
            <Form.Label>Or pasted here</Form.Label>
            <Form.Control
              as="textarea"
              rows={4}
              className={styles.pasted ?? ""}
              value={pasted}
              spellCheck={false}
              onChange={(e) => setPasted(e.target.value)}
            />
          </Form.Group>
          <Button type="submit" variant="outline-secondary" className="mt-2" disabled={pasted === "" || drop.isPending}>
            Read what is pasted
          </Button>
          <p role="status">{sent === null ? "" : `Sending, ${percent(sent)}`}</p>
        </>
      ) : (
        <>
          <div className="source-row">
            {kind === "port" && (
              <Form.Group controlId="port">
                <Form.Label>Port, or another path under /dev</Form.Label>
                <Form.Control value={chosen} placeholder={port} onChange={(e) => setChosen(e.target.value)} />
                {ports.data && ports.data.length > 0 ? (
                  <ul className={styles.ports}>
                    {ports.data.map((p) => (
                      <li key={p.path}>
                        <button
                          type="button"
                          className="link"
                          title={p.byId ?? p.path}
                          onClick={() => setChosen(p.path)}
                        >
                          <PortName port={p} />
                        </button>
                      </li>
                    ))}
                  </ul>
                ) : (
                  <p className="quiet">No port is there. Plug the adapter in: it is listed within a second.</p>
                )}
              </Form.Group>
            )}
            {kind === "network" && (
              <Form.Group controlId="bridge">
                <Form.Label>Host and port of the bridge</Form.Label>
                <Form.Control
                  value={address}
                  placeholder="10.20.0.9:4000"
                  onChange={(e) => setAddress(e.target.value)}
                />
              </Form.Group>
            )}
            <LineFields id="open" line={line} onChange={setLine} only={kind === "simulated" ? "speed" : "all"} />
            <Button type="submit" variant="outline-secondary" disabled={start.isPending}>
              {kind === "simulated"
                ? "Power on"
                : kind === "browser"
                  ? "Choose a port and open it"
                  : "Open the console"}
            </Button>
          </div>
          {kind === "network" && (
            <Form.Check
              id="bridge-sets"
              label="The bridge sets speed and wires (RFC 2217)"
              checked={bridged}
              onChange={(e) => setBridged(e.target.checked)}
            />
          )}
          {kind === "browser" && (
            <p className="quiet">
              The page that reads the port must stay open, in any tab; what it reads is kept by the server like any
              other capture.
            </p>
          )}
        </>
      )}
      <ProblemNote error={error ?? start.error ?? drop.error} />
    </Form>
  );
}
