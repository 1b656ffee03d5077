import Dropdown from "react-bootstrap/Dropdown";
import { changeMachineSettings, useChosenMachine } from "../data/machine";
import { useSimulatedMachines } from "../data/server";

/** Which machine is looked at: this one, or a simulated one. */
export function MachineMenu() {
  const chosen = useChosenMachine();
  const { data: simulated = [] } = useSimulatedMachines();
  const choose = (name: string | undefined) => void changeMachineSettings({ chosen: name });
  const name = chosen?.name ?? "This machine";
  return (
    <Dropdown className="composition-menu">
      <Dropdown.Toggle variant="link" className="strip-name" aria-label={`${name}; look at another machine`}>
        {name}
        {chosen ? <small> simulated</small> : null}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Item active={!chosen} onClick={() => choose(undefined)}>
          This machine <small>measured</small>
        </Dropdown.Item>
        <Dropdown.Divider />
        {simulated.map((sheet) => (
          <Dropdown.Item key={sheet.name} active={sheet.name === chosen?.name} onClick={() => choose(sheet.name)}>
            {sheet.name} <small>simulated</small>
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
