import { Button, Form } from "react-bootstrap";
import type { Preparation } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useAddRecipe } from "./queries";
import { useRemove } from "../shared/queries";
import styles from "./Prepare.module.css";

const actions: Record<Preparation["recipes"][number]["recipe"]["steps"][number]["action"], string> = {
  word: "puts on the command line",
  set: "sets",
  append: "adds the line",
  create: "creates",
  enable: "enables",
  install: "installs",
  "first-boot": "runs once",
  "every-boot": "runs at every boot",
};

/** Recipes: edits that belong together, to take or to leave. */
export function Recipes({
  boardId,
  choices,
  chosen,
  onChosen,
}: {
  boardId: string;
  choices: Preparation["recipes"];
  chosen: string[];
  onChosen: (chosen: string[]) => void;
}) {
  const add = useAddRecipe(boardId);
  const remove = useRemove();
  return (
    <fieldset className={styles.recipes}>
      <legend className="visually-hidden">Recipes</legend>
      {choices.map(({ recipe: r, against, proven, leftOut, added }) => (
        <div key={r.id}>
          <Form.Check
            type="checkbox"
            id={`recipe-${r.id}`}
            label={r.name}
            checked={chosen.includes(r.id)}
            onChange={(e) => onChosen(e.target.checked ? [...chosen, r.id] : chosen.filter((c) => c !== r.id))}
          />
          <p className={against ? "refused" : "quiet"}>
            {against ?? `${r.why} ${proven ? "Tested with this version." : "Not tested with this version yet."}`}
          </p>
          {leftOut && <p className="refused">{leftOut}</p>}
          <details>
            <summary>What it does</summary>
            <ul>
              {r.steps.map((s) => (
                <li key={s.action + s.subject}>
                  {actions[s.action]}{" "}
                  <code>{s.value && s.action !== "create" ? `${s.subject}=${s.value}` : s.subject}</code>
                  {s.after && (
                    <>
                      {" "}
                      behind <code>{s.after}</code>
                    </>
                  )}
                </li>
              ))}
            </ul>
            <a href={`/api/recipes/${r.id}/export`} download>
              Take {r.name} as YAML
            </a>{" "}
            {added && (
              <Button
                variant="outline-secondary"
                size="sm"
                disabled={remove.isPending}
                onClick={() => remove.mutate({ kind: "recipe", id: r.id })}
              >
                Remove {r.name}
              </Button>
            )}
          </details>
        </div>
      ))}
      <Form.Group controlId="add-recipe">
        <Form.Label>Bring in a recipe</Form.Label>
        <Form.Control
          type="file"
          accept=".yaml,.yml"
          onChange={(e) => {
            const input = e.target as HTMLInputElement;
            if (input.files?.[0]) add.mutate(input.files[0]);
            input.value = "";
          }}
        />
      </Form.Group>
      <ProblemNote error={add.error ?? remove.error} />
    </fieldset>
  );
}
