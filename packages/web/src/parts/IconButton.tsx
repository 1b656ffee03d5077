import type { LucideIcon } from "lucide-react";
import Button from "react-bootstrap/Button";

interface IconButtonProps {
  readonly icon: LucideIcon;
  /** What it does, and to what. */
  readonly label: string;
  readonly title: string;
  readonly variant?: "outline-dark" | "link";
  readonly disabled?: boolean;
  readonly onClick: () => void;
}

/** A small button that is told by its picture. */
export function IconButton({ icon: Icon, label, title, variant = "outline-dark", disabled, onClick }: IconButtonProps) {
  return (
    <Button size="sm" variant={variant} aria-label={label} title={title} disabled={disabled} onClick={onClick}>
      <Icon size="0.875rem" aria-hidden="true" />
    </Button>
  );
}
