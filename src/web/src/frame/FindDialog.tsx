import { useEffect, useState } from "react";
import { Form, Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { useBench, useBoots, useCatalogue, useRules } from "../shared/queries";
import { day, stepNames, steps } from "../shared/words";
import styles from "./Dialogs.module.css";

/** Finds boards, steps, cards, images, causes and logs by what their names hold. */
export function FindDialog({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const bench = useBench();
  const catalogue = useCatalogue();
  const rules = useRules();
  const boots = useBoots();
  const [text, setText] = useState("");
  const nicknames = new Map(bench.data?.map((b) => [b.id, b.nickname]));
  const things = [
    ...(bench.data ?? []).flatMap((b) => [
      { kind: "board", name: `${b.nickname}, ${b.model}`, to: `/boards/${b.id}` },
      ...steps.map((s) => ({ kind: "step", name: `${b.nickname}: ${stepNames[s]}`, to: `/boards/${b.id}/${s}` })),
    ]),
    ...(catalogue.data?.models ?? []).map((m) => ({
      kind: "card",
      name: `${m.maker} ${m.name}, ${m.processor}`,
      to: `/profiles#${m.id}`,
    })),
    ...(catalogue.data?.images ?? []).map((i) => ({
      kind: "image",
      name: `${i.title}, kernel ${i.kernel}`,
      to: `/images#${i.id}`,
    })),
    ...(rules.data ?? []).map((r) => ({ kind: "cause", name: `${r.name} (${r.id})`, to: `/rules#${r.id}` })),
    ...(boots.data ?? []).map((b) => ({
      kind: "log",
      name: `${nicknames.get(b.boardId) ?? ""}, boot ${b.number}, ${b.word}, ${day(b.startedAt)}`,
      to: `/boards/${b.boardId}/boot?boot=${b.id}`,
    })),
  ];
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = things.filter((t) => words.every((w) => `${t.kind} ${t.name}`.toLowerCase().includes(w))).slice(0, 12);
  const loading = [bench, catalogue, rules, boots].some((q) => q.isPending);
  const open = (to: string) => {
    onClose();
    void go(to);
  };
  // Enter before everything is here counts as soon as what was typed is found.
  const [wanted, setWanted] = useState(false);
  const first = found[0]?.to;
  useEffect(() => {
    if (wanted && first) open(first);
  });
  return (
    <Modal show onHide={onClose} aria-labelledby="find-title" animation={false}>
      <Modal.Body className={styles.find ?? ""}>
        <h2 id="find-title">Find anything</h2>
        <Form.Control
          autoFocus
          aria-label="What to find"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setWanted(false);
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter" && (first || loading)) setWanted(true);
          }}
        />
        <ul>
          {found.map((t) => (
            <li key={t.kind + t.to + t.name}>
              <button type="button" onClick={() => open(t.to)}>
                <span className={styles.kind}>{t.kind}</span> {t.name}
              </button>
            </li>
          ))}
          {found.length === 0 && (
            <li className="quiet">{loading ? "Looking…" : "Nothing has these words in its name."}</li>
          )}
        </ul>
      </Modal.Body>
    </Modal>
  );
}
