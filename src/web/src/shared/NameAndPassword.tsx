import { Form } from "react-bootstrap";

/** Who logs in: a name, and a password that is typed to the board and not kept. */
export function NameAndPassword({
  id,
  labels = ["Name", "Password, not kept"],
  name,
  onName,
  password,
  onPassword,
}: {
  /** What the ids of both fields begin with. */
  id: string;
  labels?: [name: string, password: string];
  name: string;
  onName: (name: string) => void;
  password: string;
  onPassword: (password: string) => void;
}) {
  return (
    <>
      <Form.Group controlId={`${id}-user`}>
        <Form.Label>{labels[0]}</Form.Label>
        <Form.Control value={name} autoComplete="off" onChange={(e) => onName(e.target.value)} />
      </Form.Group>
      <Form.Group controlId={`${id}-password`}>
        <Form.Label>{labels[1]}</Form.Label>
        <Form.Control
          type="password"
          value={password}
          autoComplete="off"
          onChange={(e) => onPassword(e.target.value)}
        />
      </Form.Group>
    </>
  );
}
