import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useParams } from "react-router";
import type { KeptSettings } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { day } from "../shared/words";
import { counts, disputed } from "./groups";
import styles from "./PrintedSheet.module.css";
import { useSettings } from "./queries";

/** What one needs at the bench, in the order of the hands; the label carries the first ones. */
const wanted = [
  "board.model",
  "board.revision",
  "board.memory",
  "image.name",
  "card.label",
  "console.port",
  "supply.name",
  "supply.cable",
  "before.switch",
  "before.order",
  "system.host",
  "system.kernel",
  "system.mounted",
  "time.login",
  "network.address",
  "met.fixed",
  "met.changed",
];
const onLabel = 6;

/** The rows of a card, those that are not known left out. */
function rowsOf(kept: KeptSettings) {
  return wanted.flatMap((kind) =>
    kept.settings.settings
      .filter((s) => s.id.split(":")[0] === kind)
      .map((s) => ({ id: s.id, name: s.name, value: disputed(s) ? `${counts(s)} (said: ${s.said})` : counts(s) }))
      .filter((r) => r.value !== null),
  );
}

/** A card of one version to print: A6, or a small label; its square code carries the short text that another bench reads. */
export default function PrintedSheet() {
  const { id = "", version = "" } = useParams();
  const settings = useSettings(id);
  const [size, setSize] = useState<"a6" | "label">("a6");
  const kept = settings.data?.versions.find((v) => v.version === Number(version));
  return (
    <main className="page" id="page">
      <title>{`${kept?.settings.nickname ?? "A board"}: its sheet · Buttonhook`}</title>
      <div className={styles.tools}>
        <h1>{kept ? `The sheet of ${kept.settings.nickname}, version ${kept.version}` : "A sheet to print"}</h1>
        <Form className={styles.sizes}>
          <Form.Check
            inline
            type="radio"
            id="size-a6"
            name="size"
            label="A6 sheet, 105 × 148 mm"
            checked={size === "a6"}
            onChange={() => setSize("a6")}
          />
          <Form.Check
            inline
            type="radio"
            id="size-label"
            name="size"
            label="Label, 62 x 29 mm"
            checked={size === "label"}
            onChange={() => setSize("label")}
          />
          <Button onClick={() => print()}>Print</Button> <Link to={`/boards/${id}/keep`}>Back to Keep</Link>
        </Form>
        <ProblemNote error={settings.error} />
        {settings.data && !kept && <p>This version is not kept here.</p>}
      </div>
      {kept && (
        <>
          <style>{`@page { size: ${size === "a6" ? "105mm 148mm" : "62mm 29mm"}; margin: 0; }`}</style>
          <div className={styles.sheet} tabIndex={0} role="group" aria-label="As it is printed">
            <article className={`${styles.card} ${styles[size]}`} aria-label="The card">
              <div className={styles.head}>
                <div>
                  <h2>{kept.settings.nickname}</h2>
                  <p>
                    Version {kept.version}, {day(kept.savedAt)}
                  </p>
                </div>
                <img
                  src={`/api/boards/${id}/settings/${kept.version}.svg?label=${size === "label"}`}
                  alt="The short text of these settings"
                />
              </div>
              <dl>
                {rowsOf(kept)
                  .slice(0, size === "a6" ? undefined : onLabel)
                  .map((row) => (
                    <div key={row.id}>
                      <dt>{row.name}</dt>
                      <dd>{row.value}</dd>
                    </div>
                  ))}
              </dl>
              {size === "a6" && kept.settings.notes && <p className={styles.notes}>{kept.settings.notes}</p>}
            </article>
          </div>
        </>
      )}
    </main>
  );
}
