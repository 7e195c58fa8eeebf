import { Form } from "react-bootstrap";
import type { StorageLayout, Wish } from "./queries";
import styles from "./Match.module.css";

const layouts: [StorageLayout, string][] = [
  ["one-card", "One system on the card"],
  ["boot-menu", "Several behind a boot menu"],
  ["loader-on-card", "Loader on the card, system on an SSD"],
  ["flash-later", "Soldered flash later"],
];

/** What is wanted of an image; every change ranks them again at once. */
export function WishForm({ wish, onWish }: { wish: Wish; onWish: (wish: Wish) => void }) {
  return (
    <Form className={styles.wish} aria-label="What you want">
      <Form.Check
        type="checkbox"
        id="wish-screen"
        label="With a screen"
        checked={wish.screen}
        onChange={(e) => onWish({ ...wish, screen: e.target.checked })}
      />
      <Form.Check
        type="checkbox"
        id="wish-long-term"
        label="Long-term support first"
        checked={wish.longTerm}
        onChange={(e) => onWish({ ...wish, longTerm: e.target.checked })}
      />
      <Form.Select
        size="sm"
        aria-label="How it lies on the media"
        value={wish.layout}
        onChange={(e) => onWish({ ...wish, layout: e.target.value as StorageLayout })}
      >
        {layouts.map(([id, name]) => (
          <option key={id} value={id}>
            {name}
          </option>
        ))}
      </Form.Select>
    </Form>
  );
}
