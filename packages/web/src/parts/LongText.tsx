import "./LongText.css";

interface LongTextProps {
  readonly text: string;
  readonly className?: string;
}

// Its end tells a path from others.
const MOST_AT_END = 28;

/** A path or a command in one line: where there is no room its middle is left out, and the whole shows on hover. */
export function LongText({ text, className = "" }: LongTextProps) {
  const at = text.length - Math.min(MOST_AT_END, text.length >> 1);
  return (
    <span className={`long-text ${className}`} title={text}>
      <span>{text.slice(0, at)}</span>
      <span>{text.slice(at)}</span>
    </span>
  );
}
