import { Form } from "react-bootstrap";
import { OwnPart } from "../connecting/OwnPart";
import type { BoardInput, Catalogue } from "../shared/api";

type Connected = BoardInput["connected"];

/** A part of the catalogue, or none. */
function Choice({
  id,
  label,
  none,
  value,
  choices,
  onChange,
}: {
  id: string;
  label: string;
  none: string;
  value: string | null | undefined;
  choices: { id: string; name: string }[];
  onChange: (id: string | null) => void;
}) {
  return (
    <Form.Group controlId={id}>
      <Form.Label>{label}</Form.Label>
      <Form.Select value={value ?? ""} onChange={(e) => onChange(e.target.value || null)}>
        <option value="">{none}</option>
        {choices.map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

/** What is connected to a board: card, supply, cable, what it feeds, console adapter, screen and network. */
export function ConnectedParts({
  catalogue,
  connected,
  onChange,
}: {
  catalogue: Catalogue;
  connected: Connected;
  onChange: (change: Partial<Connected>) => void;
}) {
  const parts = connected.parts ?? [];
  return (
    <>
      <Form.Group controlId="card">
        <Form.Label>Card, as its label says, in GB (empty for none)</Form.Label>
        <Form.Control
          type="number"
          min={1}
          max={2048}
          value={connected.cardGb ?? ""}
          onChange={(e) => onChange({ cardGb: e.target.value === "" ? null : Number(e.target.value) })}
        />
      </Form.Group>
      <Choice
        id="supply"
        label="Supply"
        none="none yet"
        value={connected.supplyId}
        choices={catalogue.supplies}
        onChange={(supplyId) => onChange({ supplyId })}
      />
      <Choice
        id="cable"
        label="Its cable"
        none="not known, or fixed to the supply"
        value={connected.cableId}
        choices={catalogue.cables}
        onChange={(cableId) => onChange({ cableId })}
      />
      <fieldset>
        <legend>What the board feeds</legend>
        <div className="choices">
          {catalogue.parts.map((part) => (
            <Form.Check
              key={part.id}
              type="checkbox"
              id={`part-${part.id}`}
              label={part.name}
              checked={parts.includes(part.id)}
              onChange={(e) =>
                onChange({ parts: e.target.checked ? [...parts, part.id] : parts.filter((id) => id !== part.id) })
              }
            />
          ))}
        </div>
      </fieldset>
      <Choice
        id="adapter"
        label="Console adapter"
        none="none yet"
        value={connected.adapterId}
        choices={catalogue.adapters}
        onChange={(adapterId) => onChange({ adapterId })}
      />
      <OwnPart
        catalogue={catalogue}
        onAdded={(kind, id) =>
          onChange(
            kind === "supply" ? { supplyId: id } : kind === "adapter" ? { adapterId: id } : { parts: [...parts, id] },
          )
        }
      />
      <div className="choices">
        <Form.Check
          type="checkbox"
          id="screen"
          label="A screen"
          checked={connected.screen}
          onChange={(e) => onChange({ screen: e.target.checked })}
        />
        <Form.Check
          type="checkbox"
          id="network"
          label="The network"
          checked={connected.network}
          onChange={(e) => onChange({ network: e.target.checked })}
        />
      </div>
    </>
  );
}
