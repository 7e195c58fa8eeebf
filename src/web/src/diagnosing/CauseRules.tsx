import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { RuleRow } from "../shared/api";
import { Facts } from "../shared/Facts";
import { ProblemNote } from "../shared/ProblemNote";
import styles from "./Diagnose.module.css";
import { useKeepRule, useRemoveRule, useSwitchRule } from "./queries";
import { RuleForm } from "./RuleForm";

type Observation = RuleRow["observations"][number];

/** What an observation is worth, in words. */
const strength = (weight: number) =>
  weight < 1 ? "hardly anything" : weight < 3 ? "a hint" : weight < 5 ? "clear" : "a proof";

/** A rule that was just removed, with the way back. */
function Removed({ cause, row, onBack }: { cause: RuleRow; row: Observation; onBack: () => void }) {
  const back = useKeepRule();
  return (
    <p role="status">
      <code>{row.observes}</code> was removed.{" "}
      <Button
        variant="link"
        size="sm"
        disabled={back.isPending}
        onClick={() =>
          back.mutate(
            {
              id: row.ownId ?? "",
              causeId: cause.id,
              find: row.observes,
              regex: row.regex,
              not: row.not,
              weight: row.weight,
              against: row.against,
              says: row.says,
            },
            { onSuccess: onBack },
          )
        }
      >
        Take it back
      </Button>
      <ProblemNote error={back.error} />
    </p>
  );
}

function Row({ cause, row, onRemoved }: { cause: RuleRow; row: Observation; onRemoved: (row: Observation) => void }) {
  const off = useSwitchRule();
  /** What the person just chose, until the server has answered. */
  const [chosen, setChosen] = useState<boolean | null>(null);
  const remove = useRemoveRule();
  const id = `off-${cause.id}-${row.name}`;
  return (
    <li className={`${styles.observation} ${row.off ? styles.off : ""}`}>
      {row.ownId === null ? (
        <Form.Check
          type="switch"
          id={id}
          aria-label={`In use: ${row.observes}`}
          checked={chosen ?? !row.off}
          onChange={(e) => {
            setChosen(e.target.checked);
            off.mutate({ name: row.name, off: !e.target.checked }, { onSettled: () => setChosen(null) });
          }}
        />
      ) : (
        <Button
          variant="link"
          size="sm"
          aria-label={`Remove the rule ${row.observes}`}
          onClick={() =>
            // The row is gone with the answer; who waits for it there would not hear of it.
            void remove.mutateAsync(row.ownId ?? "").then(
              () => onRemoved(row),
              () => undefined,
            )
          }
        >
          Remove
        </Button>
      )}
      <div>
        <label htmlFor={row.ownId === null ? id : undefined}>
          {row.against && <strong>Against: </strong>}
          {row.says ?? row.observes}
        </label>{" "}
        <span className="quiet">
          {strength(row.weight)}
          {row.with !== null && `, met ${row.with} times with it and ${row.without} without`}
          {row.ownId !== null && ", your own"}
        </span>
        {row.observes !== row.says && (
          <div>
            <code>{row.regex ?? row.observes}</code>
          </div>
        )}
      </div>
      <ProblemNote error={off.error ?? remove.error} />
    </li>
  );
}

/** One cause of the rule book with all that it is recognised by, and a rule of one's own. */
export function CauseRules({ cause }: { cause: RuleRow }) {
  const [adding, setAdding] = useState(false);
  const [removed, setRemoved] = useState<Observation | null>(null);
  return (
    <>
      <Facts
        facts={[
          ["Question", cause.check],
          ["Answers", cause.question.answers.join("; ")],
          ...(cause.question.look ? [["How to check", cause.question.look] as [string, string]] : []),
          ...(cause.question.commands.length > 0
            ? [
                ["Asked of the board", <code key="c">{cause.question.commands.join("; ")}</code>] as [
                  string,
                  React.ReactNode,
                ],
              ]
            : []),
          [
            "What an answer is worth",
            `${cause.question.worth} to 1, ${cause.question.source === "fitted" ? "counted in the lab" : "estimated"}`,
          ],
          ["Fix", cause.fix],
          ["Name in files", <code>{cause.id}</code>],
        ]}
      />
      <h2>Recognised by</h2>
      <ul className={styles.lines}>
        {cause.observations.map((o) => (
          <Row key={o.name} cause={cause} row={o} onRemoved={setRemoved} />
        ))}
      </ul>
      {removed && <Removed cause={cause} row={removed} onBack={() => setRemoved(null)} />}
      {adding ? (
        <RuleForm cause={cause} onKept={() => setAdding(false)} />
      ) : (
        <Button variant="outline-secondary" size="sm" onClick={() => setAdding(true)}>
          Add a rule
        </Button>
      )}
    </>
  );
}
