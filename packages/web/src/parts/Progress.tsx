import ProgressBar from "react-bootstrap/ProgressBar";

interface ProgressProps {
  /** What goes on, for those who do not see the bar. */
  readonly label: string;
  readonly now: number;
  readonly max?: number;
}

/** How far something is. The name belongs to the bar, not to the frame around it, which has no role. */
export function Progress({ label, now, max = 100 }: ProgressProps) {
  return (
    <ProgressBar>
      <ProgressBar aria-label={label} now={now} max={max} />
    </ProgressBar>
  );
}
