import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Inspection } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useBench, useInspect } from "../shared/queries";
import { StageButton } from "../shared/StageButton";
import { binary, stageNames } from "../shared/words";

const verdicts = {
  boots: "It boots",
  "does-not-boot": "It does not boot",
  "cannot-tell": "It cannot be told whether it boots",
};
const results = { passed: "reached", failed: "stopped", "cannot-tell": "hidden" };
const resultWords = { passed: "in order", failed: "broken", "cannot-tell": "cannot be told" };

/** Looks into an image file of this computer and plays its boot on a board of the bench without starting it. */
export function InspectPanel() {
  const bench = useBench();
  const inspect = useInspect();
  const [path, setPath] = useState("");
  const [boardId, setBoardId] = useState("");
  return (
    <section className="inspect" aria-labelledby="inspect-title">
      <h2 id="inspect-title">Look into an image file</h2>
      <Form
        className="source-row"
        onSubmit={(e) => {
          e.preventDefault();
          inspect.mutate({ path: path.trim(), boardId: boardId || null });
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
        <Button type="submit" disabled={inspect.isPending}>
          Look into it
        </Button>
        {inspect.isPending && (
          <Button variant="outline-secondary" onClick={inspect.stop}>
            Stop
          </Button>
        )}
      </Form>
      <p role="status" className="quiet">
        {inspect.isPending ? "Reading. A packed image is unpacked first, which takes a while." : ""}
      </p>
      <ProblemNote error={inspect.error} />
      {inspect.data && <Found inspection={inspect.data} />}
    </section>
  );
}

function Found({ inspection: i }: { inspection: Inspection }) {
  const dry = i.dryBoot;
  const whole = Math.max(1, i.smallestCardBytes);
  return (
    <div className="found">
      <p className="lead">
        <strong>{i.os?.name ?? "A system that does not tell its name"}</strong>, {binary(i.expandedBytes)}
        {i.compression !== "none" && `, packed as ${i.compression} in ${binary(i.sizeBytes)}`}. Smallest card:{" "}
        {binary(i.smallestCardBytes)}.
      </p>
      <div className="card-strip partitions" role="img" aria-label={`${i.partitions.length} partitions to scale`}>
        {i.partitions.map((p) => (
          <span
            key={p.number}
            style={{ width: `${(p.lengthBytes / whole) * 100}%` }}
            className={`kind-${p.fileSystem}`}
          >
            {p.number}
          </span>
        ))}
      </div>
      <ul className="strip-legend">
        {i.partitions.map((p) => (
          <li key={p.number}>
            {p.number}: {p.fileSystem ?? "not read"}
            {p.label && ` “${p.label}”`}, {binary(p.lengthBytes)}
          </li>
        ))}
      </ul>
      <dl className="facts">
        <div>
          <dt>Kernel</dt>
          <dd>{i.kernel ? `${i.kernel.path}${i.kernel.version ? `, ${i.kernel.version}` : ""}` : "not found"}</dd>
        </div>
        <div>
          <dt>Command line</dt>
          <dd>
            <code>{i.commandLine ?? "not reached"}</code>
          </dd>
        </div>
        <div>
          <dt>Device trees</dt>
          <dd>
            {i.deviceTrees.length === 0
              ? "none"
              : `${i.deviceTrees.length}, such as ${i.deviceTrees[0]?.model ?? i.deviceTrees[0]?.path}`}
          </dd>
        </div>
      </dl>
      {i.notes.length > 0 && (
        <ul className="quiet">
          {i.notes.map((n) => (
            <li key={n}>{n}</li>
          ))}
        </ul>
      )}
      {dry && (
        <>
          <h3 className={`verdict ${dry.verdict}`}>{verdicts[dry.verdict]} on this board</h3>
          <ol className="standing-placket chain" aria-label="Links of the boot chain">
            {dry.steps.map((s, n) => (
              <li key={s.text + s.file} className={`stage-row stage-${results[s.result]}`}>
                <span
                  className={`thread ${n === dry.steps.length - 1 ? "none" : s.result === "failed" ? "torn" : s.result === "passed" ? "whole" : "open"}`}
                />
                <StageButton state={results[s.result]} size={30} />
                <span className="stage-text">
                  <span className="stage-name">{s.text}</span>
                  <span className="visually-hidden">, {resultWords[s.result]}</span>
                  <span className="stage-times">
                    {stageNames[s.stage].toLowerCase()}
                    {s.file && `, ${s.file}`}
                  </span>
                </span>
              </li>
            ))}
          </ol>
          {dry.causes.map((c) => (
            <p key={c.id} className="next-check">
              <strong>{c.fix}</strong> <code>{c.id}</code>
            </p>
          ))}
        </>
      )}
    </div>
  );
}
