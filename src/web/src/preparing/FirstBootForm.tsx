import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { FirstBootInput, Preparation } from "../shared/api";
import { ProblemNote } from "../shared/ProblemNote";
import { useSetFirstBoot } from "../shared/queries";
import { Recipes } from "./Recipes";

const lines = (text: string) => text.split("\n").filter((l) => l.trim() !== "");

/** What is set before the first boot, in one form for every kind of image. */
export function FirstBootForm({ boardId, preparation: p }: { boardId: string; preparation: Preparation }) {
  const save = useSetFirstBoot(boardId);
  const [input, setInput] = useState<FirstBootInput>({
    ...p.set,
    password: null,
    wireless: p.set.wireless && { name: p.set.wireless.name, country: p.set.wireless.country, password: null },
    recipes: p.recipes.filter((r) => r.chosen).map((r) => r.recipe.id),
  });
  const set = (change: Partial<FirstBootInput>) => setInput({ ...input, ...change });
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
        defaultValue={input[field].join("\n")}
        onChange={(e) => set({ [field]: lines(e.target.value) })}
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
        save.mutate(input, { onSuccess: () => set({ password: null }) });
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
      <ProblemNote error={save.error} />
      {p.problems.length > 0 && (
        <ul className="refused">
          {p.problems.map((x) => (
            <li key={x.text}>{x.text}</li>
          ))}
        </ul>
      )}
      <div>
        <Button type="submit" variant="outline-secondary" disabled={save.isPending}>
          Set this
        </Button>{" "}
        <span role="status" className="quiet">
          {save.isSuccess && !save.isPending ? "Set. Passwords are kept only in the forms that the system keeps." : ""}
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
