/** A screen that is not there yet says what it waits for. */
export function Waiting({ for: what }: { readonly for: string }) {
  return (
    <section className="page waiting" aria-busy="true">
      <h1>{what}</h1>
    </section>
  );
}
