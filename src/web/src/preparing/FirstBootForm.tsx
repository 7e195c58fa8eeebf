import { Button, Form } from "react-bootstrap";
import type { Preparation } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import type { FirstBootDraft } from "./firstBootDraft";
import { Recipes } from "./Recipes";

/** What is set before the first boot, in one form for every kind of image. */
export function FirstBootForm({
  boardId,
  preparation: p,
  draft,
}: {
  boardId: string;
  preparation: Preparation;
  draft: FirstBootDraft;
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
    <Form.Group controlId={`fb-${field}`}>
      <Form.Label>{label}, one a line</Form.Label>
      <Form.Control
        as="textarea"
        rows={2}
        spellCheck={false}
        value={input[field].join("\n")}
        onChange={(e) => set({ [field]: e.target.value === "" ? [] : e.target.value.split("\n") })}
      />
    </Form.Group>
  );
  const wireless = input.wireless ?? { name: "", password: null, country: "" };
  const radio = (change: Partial<typeof wireless>) => {
    const next = { ...wireless, ...change };
    set({ wireless: next.name === "" ? null : next });
  };
  const address = input.address ?? { interface: "eth0", address: "", gateway: null, nameServers: [] };
  const fixed = (change: Partial<typeof address>) => {
    const next = { ...address, ...change };
    set({ address: next.address === "" ? null : next });
  };
  return (
    <Form
      className="first-boot"
      onSubmit={(e) => {
        e.preventDefault();
        draft.store().catch(() => undefined);
      }}
    >
      <fieldset>
        <legend>Who it is</legend>
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
        <Form.Check
          type="checkbox"
          id="fb-remote"
          label="Remote login"
          checked={input.remoteLogin}
          onChange={(e) => set({ remoteLogin: e.target.checked })}
        />
      </fieldset>
      <fieldset>
        <legend>Network</legend>
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
          label="Fixed address, with its length (empty: by DHCP)"
          value={address.address}
          placeholder="192.0.2.10/24"
          onChange={(value) => fixed({ address: value })}
        />
        {input.address && (
          <>
            <Field
              id="fb-interface"
              label="On the interface"
              value={address.interface}
              onChange={(value) => fixed({ interface: value })}
            />
            <Field
              id="fb-gateway"
              label="Gateway"
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
        <Form.Check
          type="checkbox"
          id="fb-usb"
          label="The USB port as a network link"
          checked={input.usbNetwork}
          onChange={(e) => set({ usbNetwork: e.target.checked })}
        />
      </fieldset>
      <fieldset>
        <legend>Where it stands</legend>
        {text("timeZone", "Time zone", "Europe/Lisbon")}
        {text("locale", "Locale", "en_GB.UTF-8")}
        {text("keyboard", "Keyboard", "gb")}
        {text("videoMode", "Video mode", "HDMI-A-1:1280x720@60")}
        <Form.Check
          type="checkbox"
          id="fb-console"
          label="Console and login on the serial port"
          checked={input.consoleOn}
          onChange={(e) => set({ consoleOn: e.target.checked })}
        />
      </fieldset>
      <fieldset>
        <legend>More</legend>
        {list("overlays", "Overlays")}
        {list("lines", "key=value lines of the loader")}
        {list("packages", "Packages")}
        {list("commands", "Commands at the first boot")}
      </fieldset>
      <Recipes boardId={boardId} choices={p.recipes} chosen={input.recipes} onChosen={(recipes) => set({ recipes })} />
      {draft.elsewhere.length > 0 && (
        <div className="elsewhere" role="status">
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
      {p.problems.length > 0 && (
        <ul className="refused">
          {p.problems.map((x) => (
            <li key={x.text}>{x.text}</li>
          ))}
        </ul>
      )}
      <div>
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

/** A line of text with its label. */
function Field({
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
