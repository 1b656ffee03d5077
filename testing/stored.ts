import type { Page } from "@playwright/test";

/** All that the page keeps in one of its tables. */
export function stored<T>(page: Page, table: "costs" | "documents" | "settings" | "takes"): Promise<T[]> {
  return page.evaluate(
    (name) =>
      new Promise<T[]>((resolve, reject) => {
        const request = indexedDB.open("kinetocache");
        request.onerror = () => reject(request.error!);
        request.onsuccess = () => {
          const all = request.result.transaction(name).objectStore(name).getAll();
          all.onerror = () => reject(all.error!);
          all.onsuccess = () => {
            request.result.close();
            resolve(all.result as T[]);
          };
        };
      }),
    table,
  );
}
