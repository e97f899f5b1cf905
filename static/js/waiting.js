/* What was told and not yet heard by the server: a store of this browser, in the order of telling. */
const opened = new Promise((resolve, reject) => {
  const asked = indexedDB.open("cairn-waiting", 1);
  asked.onupgradeneeded = () => asked.result.createObjectStore("told", { keyPath: "order", autoIncrement: true });
  asked.onsuccess = () => resolve(asked.result);
  asked.onerror = () => reject(asked.error);
});
opened.catch(() => null);
async function run(mode, act) {
  const base = await opened;
  return new Promise((resolve, reject) => {
    const whole = base.transaction("told", mode), asked = act(whole.objectStore("told"));
    whole.oncomplete = () => resolve(asked.result);
    whole.onerror = whole.onabort = () => reject(whole.error);
  });
}
export const all = () => run("readonly", (held) => held.getAll());
export const put = (told) => run("readwrite", (held) => held.put(told));
/* Only what is still there: somebody may have let it go meanwhile. */
export const change = (told) => run("readwrite", (held) => {
  const asked = held.get(told.order);
  asked.onsuccess = () => { if (asked.result) held.put(told); };
  return asked;
});
export const drop = (order) => run("readwrite", (held) => held.delete(order));
