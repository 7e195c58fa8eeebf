import { Form } from "react-bootstrap";
import type { FlowControl } from "../shared/api";

/** How a line is set, as a person types it. */
export type LineText = { speed: string; frame: string; flow: FlowControl };

const speeds = [9600, 19200, 38400, 57600, 74880, 115200, 230400, 460800, 921600, 1500000, 3000000];
const frames = ["8N1", "8E1", "8O1", "8N2", "7E1", "7O1", "7N1"];

const flows: [FlowControl, string][] = [
  ["none", "None"],
  ["hardware", "RTS and CTS"],
  ["software", "XON and XOFF"],
];

/** Speed, frame and flow control. */
export function LineFields({
  id,
  line,
  onChange,
  only,
}: {
  id: string;
  line: LineText;
  onChange: (line: LineText) => void;
  only: "speed" | "all";
}) {
  return (
    <>
      <Form.Group controlId={`${id}-speed`}>
        <Form.Label>Speed, bits a second</Form.Label>
        <Form.Control
          value={line.speed}
          inputMode="numeric"
          list={`${id}-speeds`}
          onChange={(e) => onChange({ ...line, speed: e.target.value })}
        />
        <datalist id={`${id}-speeds`}>
          {speeds.map((s) => (
            <option key={s} value={s} />
          ))}
        </datalist>
      </Form.Group>
      {only === "all" && (
        <>
          <Form.Group controlId={`${id}-frame`}>
            <Form.Label>Frame</Form.Label>
            <Form.Select value={line.frame} onChange={(e) => onChange({ ...line, frame: e.target.value })}>
              {frames.map((f) => (
                <option key={f}>{f}</option>
              ))}
            </Form.Select>
          </Form.Group>
          <Form.Group controlId={`${id}-flow`}>
            <Form.Label>Flow control</Form.Label>
            <Form.Select value={line.flow} onChange={(e) => onChange({ ...line, flow: e.target.value as FlowControl })}>
              {flows.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
        </>
      )}
    </>
  );
}
