import { Form } from "react-bootstrap";
import type { CardOrder, Preparation } from "../shared/api";
import { binary } from "../shared/words";
import type { Layout } from "./CardLayout";
import { slotName } from "./slotName";
import styles from "./Prepare.module.css";

/** What a card that is put together takes beside the image of the board. */
export type Together = Pick<CardOrder, "beside" | "drive">;

/** As many systems as a table has room for behind the loader, without the first one. */
const mostBeside = 2;

/** The other systems of a menu, or the drive that takes the root. */
export function LayoutOrder({
  layout,
  preparation: p,
  cardSlot,
  together,
  onTogether,
}: {
  layout: Layout;
  preparation: Preparation;
  /** The slot of the card, which cannot be that of the drive. */
  cardSlot: string;
  together: Together;
  onTogether: (together: Together) => void;
}) {
  const beside = together.beside ?? [];
  if (layout === "boot-menu")
    return (
      <fieldset className={styles.beside}>
        <legend>Systems beside it in the menu, one or two</legend>
        {p.beside.length === 0 && <p className="lead">The shelf has no other image for this processor.</p>}
        {p.beside.map((i) => (
          <Form.Check
            key={i.id}
            type="checkbox"
            id={`beside-${i.id}`}
            label={`${i.title}, ${binary(i.bytes)}`}
            checked={beside.includes(i.id)}
            disabled={!beside.includes(i.id) && beside.length >= mostBeside}
            onChange={(e) =>
              onTogether({
                ...together,
                beside: e.target.checked ? [...beside, i.id] : beside.filter((b) => b !== i.id),
              })
            }
          />
        ))}
      </fieldset>
    );
  if (layout !== "loader-on-card") return null;
  const drive = together.drive ?? { slotId: "", confirm: null, kind: "usb" };
  const slots = p.slots.filter((s) => s.id !== cardSlot && s.id !== "copy");
  const slot = slots.find((s) => s.id === drive.slotId);
  return (
    <div className="source-row">
      <Form.Group controlId="drive-slot" className={styles.grow ?? ""}>
        <Form.Label>Slot of the drive that takes the root</Form.Label>
        <Form.Select
          value={drive.slotId}
          onChange={(e) => onTogether({ ...together, drive: { ...drive, slotId: e.target.value } })}
        >
          <option value="">Choose one</option>
          {slots.map((s) => (
            <option key={s.id} value={s.id}>
              {slotName(s)}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="drive-kind">
        <Form.Label>Where the board has it</Form.Label>
        <Form.Select
          value={drive.kind}
          onChange={(e) => onTogether({ ...together, drive: { ...drive, kind: e.target.value } })}
        >
          <option value="usb">On a USB socket</option>
          <option value="ssd">In its slot for an SSD</option>
        </Form.Select>
      </Form.Group>
      {slot?.confirm && (
        <Form.Group controlId="drive-confirm">
          <Form.Label>Size of the drive in GB ({slot.confirm}), to say that this is the one</Form.Label>
          <Form.Control
            value={drive.confirm ?? ""}
            inputMode="numeric"
            autoComplete="off"
            onChange={(e) => onTogether({ ...together, drive: { ...drive, confirm: e.target.value } })}
          />
        </Form.Group>
      )}
    </div>
  );
}
