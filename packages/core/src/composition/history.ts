import type { Document } from "./document";
import { applyEdit, type Edit } from "./edit";

// Enough for a long session of experiments; each state shares all unchanged layers with its neighbours.
const MAX_STATES = 200;

/** The states of a document in order, and which of them is current. */
export interface History {
  readonly states: readonly Document[];
  readonly position: number;
}

export function startHistory(document: Document): History {
  return { states: [document], position: 0 };
}

export function currentDocument(history: History): Document {
  return history.states[history.position]!;
}

/** Adds the edited state after the current one; states that had been undone are dropped. */
export function commitEdit(history: History, edit: Edit): History {
  const edited = applyEdit(currentDocument(history), edit);
  const states = [...history.states.slice(0, history.position + 1), edited].slice(-MAX_STATES);
  return { states, position: states.length - 1 };
}

export function canUndo(history: History): boolean {
  return history.position > 0;
}

export function canRedo(history: History): boolean {
  return history.position < history.states.length - 1;
}

export function undo(history: History): History {
  return canUndo(history) ? { ...history, position: history.position - 1 } : history;
}

export function redo(history: History): History {
  return canRedo(history) ? { ...history, position: history.position + 1 } : history;
}
