import { Form } from "react-bootstrap";

/** A line of text with its label. */
export function Field({
  id,
  label,
  onChange,
  ...control
}: {
  id: string;
  label: React.ReactNode;
  onChange: (value: string) => void;
} & Omit<React.ComponentProps<typeof Form.Control>, "onChange">) {
  return (
    <Form.Group controlId={id}>
      <Form.Label>{label}</Form.Label>
      <Form.Control {...control} onChange={(e) => onChange(e.target.value)} />
    </Form.Group>
  );
}

/** Several texts, one a line. */
export function Lines({
  id,
  label,
  value,
  onChange,
}: {
  id: string;
  label: string;
  value: string[];
  onChange: (value: string[]) => void;
}) {
  return (
    <Form.Group controlId={id}>
      <Form.Label>{label}, one a line</Form.Label>
      <Form.Control
        as="textarea"
        rows={2}
        spellCheck={false}
        value={value.join("\n")}
        onChange={(e) => onChange(e.target.value === "" ? [] : e.target.value.split("\n"))}
      />
    </Form.Group>
  );
}
