import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Statistics, TakenExperience } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { RemovedList } from "../shared/RemovedList";
import { useRemove } from "../shared/queries";
import styles from "./Learnt.module.css";
import { useLookAtExperience, useTakeExperience } from "./queries";

type Told = Statistics["told"][number];

/** How many boots and causes another bench tells of. */
function inNumbers(told: Told) {
  const boots = told.pairs.reduce((sum, p) => sum + p.tries, 0);
  const good = told.pairs.reduce((sum, p) => sum + p.successes, 0);
  const causes = new Set(told.pairs.flatMap((p) => p.causes.map((c) => c.cause))).size;
  return `${good} of ${boots} boots reached the login, ${causes} ${causes === 1 ? "cause" : "causes"}`;
}

/** What was learnt, for another bench and from others. */
export function Shared({ told, counted }: { told: Told[]; counted: number }) {
  return (
    <div className={styles.columns}>
      <Give counted={counted} />
      <Take told={told} />
    </div>
  );
}

function Give({ counted }: { counted: number }) {
  const [from, setFrom] = useState("");
  return (
    <section aria-labelledby="give-title">
      <h2 id="give-title">For another bench</h2>
      <p>
        One file with the profiles of your boards and images, how their boots ended, and what mended them. Nicknames,
        host names, addresses, logs and words of your own are not in it.
      </p>
      <Form.Group controlId="experience-from" className="mb-2">
        <Form.Label>What others may call this bench</Form.Label>
        <Form.Control value={from} maxLength={80} onChange={(e) => setFrom(e.target.value)} />
      </Form.Group>
      {counted > 0 && from.trim() !== "" ? (
        <a
          className="btn btn-outline-secondary"
          href={`/api/experience.yaml?from=${encodeURIComponent(from.trim())}`}
          download="buttonhook-learnt.yaml"
        >
          Give out what was learnt
        </a>
      ) : (
        <p className="quiet">{counted === 0 ? "No boot counts yet." : "It is given out under a name."}</p>
      )}
    </section>
  );
}

function Take({ told }: { told: Told[] }) {
  const [file, setFile] = useState<{ name: string; yaml: string } | null>(null);
  const look = useLookAtExperience();
  const take = useTakeExperience();
  const remove = useRemove();
  const leave = () => {
    setFile(null);
    look.reset();
  };
  return (
    <section aria-labelledby="take-title">
      <h2 id="take-title">From other benches</h2>
      {told.length === 0 && <p className="quiet">Nothing yet.</p>}
      <ul>
        {told.map((t) => (
          <li key={t.id}>
            <strong>{t.from}</strong>, {t.made}: {inNumbers(t)}.{" "}
            <Button
              variant="link"
              size="sm"
              aria-label={`Remove what ${t.from} told`}
              onClick={() => remove.mutate({ kind: "experience-card", id: t.id })}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      <p className="quiet">Reports from others count half as much as boots seen here, and are marked as theirs.</p>
      <Form.Group controlId="experience-file" className="mb-2">
        <Form.Label>A file that another bench gave out</Form.Label>
        <Form.Control
          type="file"
          accept=".yaml,.yml"
          onChange={(e) => {
            const chosen = (e.target as HTMLInputElement).files?.[0];
            if (!chosen) return;
            void chosen.text().then((yaml) => {
              setFile({ name: chosen.name, yaml });
              look.mutate({ name: chosen.name, yaml });
            });
          }}
        />
      </Form.Group>
      <ProblemNote error={look.error ?? take.error} takeFocus />
      {file && look.data && (
        <div role="status">
          <p>Nothing is taken yet. It brings:</p>
          <Brings taken={look.data} />
          <Button
            variant="outline-secondary"
            disabled={take.isPending}
            onClick={() => take.mutate(file, { onSuccess: leave })}
          >
            Take it over
          </Button>{" "}
          <Button variant="link" onClick={leave}>
            Leave it
          </Button>
        </div>
      )}
      <RemovedList kinds={["experience-card"]} />
    </section>
  );
}

function Brings({ taken }: { taken: TakenExperience }) {
  return (
    <ul>
      {taken.told.map((t) => (
        <li key={t.experience.id}>
          What {t.experience.from} learnt until {t.experience.made}: {inNumbers(t.experience)}; {t.says}
        </li>
      ))}
      {taken.cards.map((c) => (
        <li key={c}>{c}</li>
      ))}
    </ul>
  );
}
