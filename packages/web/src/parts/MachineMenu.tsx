import Dropdown from "react-bootstrap/Dropdown";
import { changeMachineSettings, useChosenMachine, useOtherMachines } from "../data/machine";

/** Which machine is looked at: this one, or a simulated one. */
export function MachineMenu() {
  const chosen = useChosenMachine()?.sheet;
  const others = useOtherMachines();
  const choose = (name: string | undefined) => void changeMachineSettings({ chosen: name });
  const name = chosen?.name ?? "This machine";
  return (
    <Dropdown className="composition-menu">
      <Dropdown.Toggle
        variant="link"
        className="strip-name"
        aria-label={`${name}${chosen ? " simulated" : ""}; look at another machine`}
      >
        <span title={name}>{name}</span>
        {chosen ? <small> simulated</small> : null}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Item active={!chosen} onClick={() => choose(undefined)}>
          This machine <small>measured</small>
        </Dropdown.Item>
        <Dropdown.Divider />
        {others.map(({ sheet, id }) => (
          <Dropdown.Item key={sheet.name} active={sheet.name === chosen?.name} onClick={() => choose(sheet.name)}>
            {sheet.name} <small>{id === undefined ? "simulated" : "simulated, your own"}</small>
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
