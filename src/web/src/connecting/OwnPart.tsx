import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Catalogue, ConsoleLevel, PartInput } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddPart } from "./queries";
import { usePorts } from "../consoles/queries";
import styles from "./Connect.module.css";

const nothing: PartInput = {
  kind: "supply",
  name: "",
  volts: null,
  amps: null,
  watts: null,
  plug: null,
  onUsb: true,
  level: null,
  maxSpeed: null,
  usb: null,
};

/** Adds a supply, a part or a console adapter of one's own by what is printed on it. */
export function OwnPart({ catalogue, onAdded }: { catalogue: Catalogue; onAdded: (kind: string, id: string) => void }) {
  const add = useAddPart();
  const [part, setPart] = useState(nothing);
  const ports = usePorts(part.kind === "adapter");
  const plugged = ports.data?.filter((p) => p.adapter !== null) ?? [];
  const chip = catalogue.chips?.find((c) => part.usb != null && c.usb.includes(part.usb));
  const set = (change: Partial<PartInput>) => setPart({ ...part, ...change });
  const number = (label: string, field: "volts" | "amps" | "watts" | "maxSpeed") => (
    <Form.Group controlId={`own-${field}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        type="number"
        step="any"
        min={0}
        value={part[field] ?? ""}
        onChange={(e) => set({ [field]: e.target.value === "" ? null : Number(e.target.value) })}
      />
    </Form.Group>
  );
  return (
    <details className={styles.ownPart}>
      <summary>Add one of your own, by its print</summary>
      <Form.Group controlId="own-kind">
        <Form.Label>What it is</Form.Label>
        <Form.Select value={part.kind} onChange={(e) => setPart({ ...nothing, kind: e.target.value })}>
          <option value="supply">A supply</option>
          <option value="part">A part that the board feeds</option>
          <option value="adapter">A console adapter</option>
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="own-name">
        <Form.Label>{part.kind === "supply" ? "Name (may stay empty)" : "Name"}</Form.Label>
        <Form.Control value={part.name} maxLength={60} onChange={(e) => set({ name: e.target.value })} />
      </Form.Group>
      {part.kind === "supply" && (
        <>
          {number("Volts", "volts")}
          {number("Amperes", "amps")}
          <Form.Group controlId="own-plug">
            <Form.Label>Plug (empty when not known)</Form.Label>
            <Form.Control value={part.plug ?? ""} onChange={(e) => set({ plug: e.target.value || null })} />
          </Form.Group>
        </>
      )}
      {part.kind === "part" && (
        <>
          {number("Watts", "watts")}
          {number("Or amperes", "amps")}
          <Form.Check
            type="checkbox"
            id="own-usb"
            label="It hangs on a USB socket"
            checked={part.onUsb}
            onChange={(e) => set({ onUsb: e.target.checked })}
          />
          {!part.onUsb && number("Volts that it takes", "volts")}
        </>
      )}
      {part.kind === "adapter" && (
        <>
          {plugged.length > 0 && (
            <Form.Group controlId="own-plugged">
              <Form.Label>Plugged in now</Form.Label>
              <Form.Select
                value={plugged.find((p) => p.adapter === part.name)?.path ?? ""}
                onChange={(e) => {
                  const port = plugged.find((p) => p.path === e.target.value);
                  set({ name: (port?.adapter ?? "").slice(0, 60), usb: port?.usb ?? null });
                }}
              >
                <option value="">none of these</option>
                {plugged.map((p) => (
                  <option key={p.path} value={p.path}>
                    {p.name}
                  </option>
                ))}
              </Form.Select>
            </Form.Group>
          )}
          <Form.Group controlId="own-level">
            <Form.Label>Level</Form.Label>
            <Form.Select
              value={part.level ?? ""}
              onChange={(e) => set({ level: (e.target.value || null) as ConsoleLevel | null })}
            >
              <option value="">not known: measure it first</option>
              <option value="logic18">1.8 V logic</option>
              <option value="logic33">3.3 V logic</option>
              <option value="logic5">5 V logic</option>
              <option value="rs232">RS-232</option>
            </Form.Select>
          </Form.Group>
          {number(
            chip
              ? `Highest rate, bits a second (empty: ${chip.maxSpeed.toLocaleString("en")}, as its chip is known)`
              : "Highest rate, bits a second",
            "maxSpeed",
          )}
        </>
      )}
      <Button
        variant="outline-secondary"
        size="sm"
        disabled={add.isPending}
        onClick={() =>
          add.mutate(part, {
            onSuccess: (added) => {
              setPart({ ...nothing, kind: part.kind });
              onAdded(added.kind, added.id);
            },
          })
        }
      >
        Add it
      </Button>
      <ProblemNote error={add.error} />
    </details>
  );
}
