import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { BoardInput, Catalogue } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useFaults } from "../shared/queries";
import { memory, onlyMemory } from "../shared/words";
import { OwnPart } from "./OwnPart";

const told = [
  ["mark", "The mark on the board"],
  ["loader", "The loader's banner"],
  ["person", "I know it"],
] as const;

/** Which board it is and what is connected to it. */
export function BoardForm({
  catalogue,
  start,
  action,
  primary,
  error,
  busy,
  onSave,
}: {
  catalogue: Catalogue;
  start: BoardInput;
  action: string;
  primary: boolean;
  error: unknown;
  busy: boolean;
  onSave: (input: BoardInput) => void;
}) {
  const [input, setInput] = useState(start);
  const faults = useFaults();
  const model = catalogue.models.find((m) => m.id === input.modelId);
  const set = (change: Partial<BoardInput>) => setInput({ ...input, ...change });
  const connect = (change: Partial<BoardInput["connected"]>) => set({ connected: { ...input.connected, ...change } });
  return (
    <Form
      className="board-form"
      onSubmit={(e) => {
        e.preventDefault();
        onSave(input);
      }}
    >
      <section>
        <h2>Which board</h2>
        <Form.Group controlId="nickname">
          <Form.Label>Nickname</Form.Label>
          <Form.Control
            value={input.nickname}
            maxLength={40}
            required
            onChange={(e) => set({ nickname: e.target.value })}
          />
        </Form.Group>
        <Form.Group controlId="model">
          <Form.Label>Model</Form.Label>
          <Form.Select
            value={input.modelId}
            onChange={(e) => {
              const chosen = catalogue.models.find((m) => m.id === e.target.value);
              set({
                modelId: e.target.value,
                revisionId: chosen?.revisions.at(-1)?.id ?? "",
                memoryMiB: onlyMemory(chosen),
              });
            }}
          >
            {catalogue.models.map((m) => (
              <option key={m.id} value={m.id}>
                {[m.maker, m.name].filter(Boolean).join(" ")}
                {m.carrier ? ` on ${m.carrier}` : ""}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <fieldset>
          <legend>Revision</legend>
          {model?.revisions.map((r) => (
            <Form.Check
              key={r.id}
              type="radio"
              name="revision"
              id={`revision-${r.id}`}
              checked={input.revisionId === r.id}
              onChange={() => set({ revisionId: r.id })}
              label={
                <>
                  {r.mark === null ? `Revision ${r.id}` : <span className="printed">{r.mark}</span>}{" "}
                  {r.where === null ? "" : `${r.where}.`}
                  {r.changed ? ` ${r.changed}.` : ""}
                </>
              }
            />
          ))}
        </fieldset>
        <fieldset>
          <legend>Memory</legend>
          <div className="choices">
            {model?.memoryMiB.map((m) => (
              <Form.Check
                key={m}
                type="radio"
                name="memory"
                id={`memory-${m}`}
                checked={input.memoryMiB === m}
                onChange={() => set({ memoryMiB: m })}
                label={memory(m)}
              />
            ))}
            <Form.Check
              type="radio"
              name="memory"
              id="memory-unknown"
              checked={input.memoryMiB === null}
              onChange={() => set({ memoryMiB: null })}
              label="Not known"
            />
          </div>
        </fieldset>
        <fieldset>
          <legend>Told by</legend>
          <div className="choices">
            {told.map(([id, words]) => (
              <Form.Check
                key={id}
                type="checkbox"
                id={`told-${id}`}
                checked={input.toldBy.includes(id)}
                onChange={(e) =>
                  set({ toldBy: e.target.checked ? [...input.toldBy, id] : input.toldBy.filter((t) => t !== id) })
                }
                label={words}
              />
            ))}
          </div>
        </fieldset>
      </section>
      <section>
        <h2>What is connected</h2>
        <Form.Group controlId="card">
          <Form.Label>Card, as its label says, in GB (empty for none)</Form.Label>
          <Form.Control
            type="number"
            min={1}
            max={2048}
            value={input.connected.cardGb ?? ""}
            onChange={(e) => connect({ cardGb: e.target.value === "" ? null : Number(e.target.value) })}
          />
        </Form.Group>
        <Form.Group controlId="supply">
          <Form.Label>Supply</Form.Label>
          <Form.Select
            value={input.connected.supplyId ?? ""}
            onChange={(e) => connect({ supplyId: e.target.value || null })}
          >
            <option value="">none yet</option>
            {catalogue.supplies.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="cable">
          <Form.Label>Its cable</Form.Label>
          <Form.Select
            value={input.connected.cableId ?? ""}
            onChange={(e) => connect({ cableId: e.target.value || null })}
          >
            <option value="">not known, or fixed to the supply</option>
            {catalogue.cables.map((c) => (
              <option key={c.id} value={c.id}>
                {c.name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <fieldset>
          <legend>What the board feeds</legend>
          <div className="choices">
            {catalogue.parts.map((part) => (
              <Form.Check
                key={part.id}
                type="checkbox"
                id={`part-${part.id}`}
                label={part.name}
                checked={input.connected.parts?.includes(part.id) ?? false}
                onChange={(e) =>
                  connect({
                    parts: e.target.checked
                      ? [...(input.connected.parts ?? []), part.id]
                      : (input.connected.parts ?? []).filter((id) => id !== part.id),
                  })
                }
              />
            ))}
          </div>
        </fieldset>
        <Form.Group controlId="adapter">
          <Form.Label>Console adapter</Form.Label>
          <Form.Select
            value={input.connected.adapterId ?? ""}
            onChange={(e) => connect({ adapterId: e.target.value || null })}
          >
            <option value="">none yet</option>
            {catalogue.adapters.map((a) => (
              <option key={a.id} value={a.id}>
                {a.name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <OwnPart
          catalogue={catalogue}
          onAdded={(kind, id) =>
            connect(
              kind === "supply"
                ? { supplyId: id }
                : kind === "adapter"
                  ? { adapterId: id }
                  : { parts: [...(input.connected.parts ?? []), id] },
            )
          }
        />
        <div className="choices">
          <Form.Check
            type="checkbox"
            id="screen"
            label="A screen"
            checked={input.connected.screen}
            onChange={(e) => connect({ screen: e.target.checked })}
          />
          <Form.Check
            type="checkbox"
            id="network"
            label="The network"
            checked={input.connected.network}
            onChange={(e) => connect({ network: e.target.checked })}
          />
        </div>
        <h2 className="second">Real or simulated</h2>
        {input.version === undefined ? (
          <Form.Check
            type="checkbox"
            id="simulated"
            label="A simulated board, to try and to practise with"
            checked={input.simulated}
            onChange={(e) => set({ simulated: e.target.checked, faultId: e.target.checked ? input.faultId : null })}
          />
        ) : (
          <p>{input.simulated ? "It is simulated." : "It is a real board."}</p>
        )}
        {input.simulated && (
          <Form.Group controlId="fault">
            <Form.Label>Fault put into it</Form.Label>
            <Form.Select value={input.faultId ?? ""} onChange={(e) => set({ faultId: e.target.value || null })}>
              <option value="">none</option>
              {faults.data?.map((f) => (
                <option key={f.id} value={f.id}>
                  {f.name}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
        )}
        <ProblemNote error={error} />
        <Button type="submit" variant={primary ? "primary" : "outline-secondary"} disabled={busy}>
          {action}
        </Button>
      </section>
    </Form>
  );
}
