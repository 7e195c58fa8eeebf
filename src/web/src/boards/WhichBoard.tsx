import { Form } from "react-bootstrap";
import type { BoardInput, Catalogue } from "../shared/api";
import { useFaults } from "../shared/queries";
import { memory, onlyMemory } from "../shared/words";

/** Which board it is: its nickname, model, revision, and the memory where it is sold with several sizes. */
export function WhichBoard({
  catalogue,
  input,
  onChange,
}: {
  catalogue: Catalogue;
  input: BoardInput;
  onChange: (change: Partial<BoardInput>) => void;
}) {
  const faults = useFaults();
  const model = catalogue.models.find((m) => m.id === input.modelId);
  return (
    <>
      <Form.Group controlId="nickname">
        <Form.Label>Nickname</Form.Label>
        <Form.Control
          value={input.nickname}
          maxLength={40}
          required
          onChange={(e) => onChange({ nickname: e.target.value })}
        />
      </Form.Group>
      <Form.Group controlId="model">
        <Form.Label>Model</Form.Label>
        <Form.Select
          value={input.modelId}
          required
          onChange={(e) => {
            const chosen = catalogue.models.find((m) => m.id === e.target.value);
            const only = chosen?.revisions.length === 1 ? chosen.revisions[0] : undefined;
            onChange({ modelId: e.target.value, revisionId: only?.id ?? "", memoryMiB: onlyMemory(chosen) });
          }}
        >
          {input.modelId === "" && <option value="">choose it</option>}
          {catalogue.models.map((m) => (
            <option key={m.id} value={m.id}>
              {[m.maker, m.name].filter(Boolean).join(" ")}
              {m.carrier ? ` on ${m.carrier}` : ""}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      {model && (
        <fieldset>
          <legend>Revision</legend>
          {model.revisions.map((r) => (
            <Form.Check
              key={r.id}
              type="radio"
              name="revision"
              required
              id={`revision-${r.id}`}
              checked={input.revisionId === r.id}
              onChange={() => onChange({ revisionId: r.id })}
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
      )}
      {model && model.memoryMiB.length !== 1 && (
        <fieldset>
          <legend>Memory</legend>
          <div className="choices">
            {model.memoryMiB.map((m) => (
              <Form.Check
                key={m}
                type="radio"
                name="memory"
                id={`memory-${m}`}
                checked={input.memoryMiB === m}
                onChange={() => onChange({ memoryMiB: m })}
                label={memory(m)}
              />
            ))}
            <Form.Check
              type="radio"
              name="memory"
              id="memory-unknown"
              checked={input.memoryMiB === null}
              onChange={() => onChange({ memoryMiB: null })}
              label="Not known: the log will tell"
            />
          </div>
        </fieldset>
      )}
      {input.version === undefined && (
        <Form.Check
          type="checkbox"
          id="simulated"
          label="A simulated board, to try and to practise with"
          checked={input.simulated}
          onChange={(e) => onChange({ simulated: e.target.checked, faultId: e.target.checked ? input.faultId : null })}
        />
      )}
      {input.simulated && (
        <Form.Group controlId="fault">
          <Form.Label>Fault of the simulated board</Form.Label>
          <Form.Select value={input.faultId ?? ""} onChange={(e) => onChange({ faultId: e.target.value || null })}>
            <option value="">none</option>
            {faults.data?.map((f) => (
              <option key={f.id} value={f.id}>
                {f.name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      )}
    </>
  );
}
