/** A screen that is not there yet says what it waits for. */
export function Waiting({ for: what }: { readonly for: string }) {
  return (
    <main className="page waiting">
      <h1>{what}</h1>
    </main>
  );
}
