import { Button, Form } from "react-bootstrap";
import type { FirstBootInput, Preparation } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { labels, said } from "./firstBootDraft";
import type { FirstBootDraft } from "./firstBootDraft";
import { Field, Lines } from "./FirstBootFields";
import styles from "./Prepare.module.css";
import { Recipes } from "./Recipes";

type Name = keyof FirstBootInput;

/** What stands in a form before anybody typed. */
const untouched: Partial<FirstBootInput> = { consoleOn: true };

/** What of some fields is set, in words. */
function setOf(input: FirstBootInput, names: Name[], secrets: string[]): string {
  const words = names
    .filter((n) => input[n] !== null && input[n] !== false && input[n] !== untouched[n])
    .filter((n) => !Array.isArray(input[n]) || input[n].length > 0)
    .map((n) => (input[n] === true ? (labels[n] ?? n) : `${labels[n] ?? n} ${said(input[n])}`));
  const off = names.filter((n) => untouched[n] === true && input[n] === false).map((n) => `no ${labels[n] ?? n}`);
  return [...words, ...secrets, ...off].join(", ");
}

/** A group of settings: what is set stands in its line, the fields are folded behind it. */
function Group({
  title,
  set,
  open = false,
  children,
}: {
  title: string;
  set: string;
  open?: boolean;
  children: React.ReactNode;
}) {
  return (
    <details className={styles.group} open={open}>
      <summary>
        <strong>{title}</strong> <span className={set ? "" : "quiet"}>{set || "nothing set"}</span>
      </summary>
      <fieldset>
        <legend className="visually-hidden">{title}</legend>
        {children}
      </fieldset>
    </details>
  );
}

/** What is set before the first boot, as a short list for every kind of image. */
export function FirstBootForm({
  boardId,
  preparation: p,
  draft,
  problems,
}: {
  boardId: string;
  preparation: Preparation;
  draft: FirstBootDraft;
  problems: Preparation["problems"];
}) {
  const { input, set } = draft;
  const text = (
    field: "hostName" | "user" | "locale" | "timeZone" | "keyboard" | "videoMode",
    label: string,
    hint: string,
  ) => (
    <Field
      id={`fb-${field}`}
      label={label}
      value={input[field] ?? ""}
      placeholder={hint}
      spellCheck={false}
      onChange={(value) => set({ [field]: value || null })}
    />
  );
  const list = (field: "keys" | "overlays" | "lines" | "packages" | "commands", label: string) => (
    <Lines id={`fb-${field}`} label={label} value={input[field]} onChange={(value) => set({ [field]: value })} />
  );
  const check = (field: "remoteLogin" | "usbNetwork" | "consoleOn", label: string) => (
    <Form.Check
      type="checkbox"
      id={`fb-${field}`}
      label={label}
      checked={input[field]}
      onChange={(e) => set({ [field]: e.target.checked })}
    />
  );
  const wireless = input.wireless ?? { name: "", password: null, country: "" };
  const radio = (change: Partial<typeof wireless>) => {
    const next = { ...wireless, ...change };
    set({ wireless: next.name === "" ? null : next });
  };
  const address = input.address ?? { interface: "", address: "", gateway: null, nameServers: [] };
  const fixed = (change: Partial<typeof address>) => {
    const next = { ...address, ...change };
    set({ address: next.address === "" ? null : next });
  };
  const password = input.password || p.hasPassword ? ["a password"] : [];
  const chosen = p.recipes.filter((r) => input.recipes.includes(r.recipe.id)).map((r) => r.recipe.name);
  return (
    <Form
      onSubmit={(e) => {
        e.preventDefault();
        draft.store().catch(() => undefined);
      }}
    >
      <Group title="Who it is" set={setOf(input, ["hostName", "user", "keys", "remoteLogin"], password)} open>
        {text("hostName", "Host name", "frost-north")}
        {text("user", "User", "warden")}
        <Field
          id="fb-password"
          label={<>Password{p.hasPassword && " (one is set; empty keeps it)"}</>}
          type="password"
          autoComplete="new-password"
          value={input.password ?? ""}
          onChange={(value) => set({ password: value || null })}
        />
        {list("keys", "Public keys")}
        {check("remoteLogin", "Remote login")}
      </Group>
      <Group title="Network" set={setOf(input, ["wireless", "address", "usbNetwork"], [])}>
        <Field
          id="fb-radio"
          label="Wireless network"
          value={wireless.name}
          onChange={(value) => radio({ name: value })}
        />
        <Field
          id="fb-radio-password"
          label={<>Its password{p.hasWirelessKey && " (a key is set; empty keeps it)"}</>}
          type="password"
          autoComplete="new-password"
          value={wireless.password ?? ""}
          onChange={(value) => radio({ password: value || null })}
        />
        <Field
          id="fb-country"
          label="Country, two letters"
          value={wireless.country}
          maxLength={2}
          onChange={(value) => radio({ country: value.toUpperCase() })}
        />
        <Field
          id="fb-address"
          label="Fixed address with its length, IPv4 or IPv6 or both (empty: by DHCP)"
          value={address.address}
          placeholder="192.0.2.10/24"
          onChange={(value) => fixed({ address: value })}
        />
        {input.address && (
          <>
            <Field
              id="fb-interface"
              label="On the interface (empty: whatever is wired)"
              value={address.interface}
              onChange={(value) => fixed({ interface: value })}
            />
            <Field
              id="fb-gateway"
              label="Gateway, of each kind one"
              value={address.gateway ?? ""}
              onChange={(value) => fixed({ gateway: value || null })}
            />
            <Field
              id="fb-servers"
              label="Name servers, with blanks between"
              value={address.nameServers.join(" ")}
              placeholder="192.0.2.1"
              onChange={(value) => fixed({ nameServers: value === "" ? [] : value.split(" ") })}
            />
          </>
        )}
        {check("usbNetwork", "The USB port as a network link")}
      </Group>
      <Group
        title="Where it stands"
        set={setOf(input, ["timeZone", "locale", "keyboard", "videoMode", "consoleOn"], [])}
      >
        {text("timeZone", "Time zone", "Europe/Lisbon")}
        {text("locale", "Locale", "en_GB.UTF-8")}
        {text("keyboard", "Keyboard", "gb")}
        {text("videoMode", "Video mode", "HDMI-A-1:1280x720@60")}
        {check("consoleOn", "Console and login on the serial port")}
      </Group>
      <Group title="More" set={setOf(input, ["overlays", "lines", "packages", "commands"], [])}>
        {list("overlays", "Overlays")}
        {list("lines", "key=value lines of the loader")}
        {list("packages", "Packages")}
        {list("commands", "Commands at the first boot")}
      </Group>
      <details className={styles.group} open={chosen.length > 0}>
        <summary>
          <strong>Recipes</strong>{" "}
          <span className={chosen.length > 0 ? "" : "quiet"}>
            {chosen.join(", ") || `none of ${p.recipes.length} taken`}
          </span>
        </summary>
        <Recipes
          boardId={boardId}
          choices={p.recipes}
          chosen={input.recipes}
          onChosen={(recipes) => set({ recipes })}
        />
      </details>
      {draft.elsewhere.length > 0 && (
        <div className={styles.elsewhere} role="status">
          <p>
            <strong>Changed in another window meanwhile.</strong>
          </p>
          <ul>
            {draft.elsewhere.map((x) => (
              <li key={x}>{x}</li>
            ))}
          </ul>
        </div>
      )}
      <ProblemNote error={draft.error} />
      {problems.length > 0 && (
        <ul className="refused" aria-label="Not right yet">
          {problems.map((x) => (
            <li key={x.text}>{x.text}</li>
          ))}
        </ul>
      )}
      <div className={styles.setting}>
        <Button type="submit" variant="outline-secondary" disabled={draft.saving}>
          Set this
        </Button>{" "}
        <span role="status" className="quiet">
          {draft.dirty
            ? "Not set yet; it is kept here while you look elsewhere, and set before a card is written."
            : draft.saved && !draft.saving
              ? "Set. Passwords are kept only in the forms that the system keeps."
              : ""}
        </span>
      </div>
    </Form>
  );
}
