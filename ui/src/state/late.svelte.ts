/** Tells what takes long: figures of an earlier edit are marked as busy once they have been old for a while. */
const LATE_MS = 300;

/** Returns whether something has been old for 300 ms; call it where effects may be made. */
export function lateness(isOld: () => boolean): { readonly isLate: boolean } {
  let isLate = $state(false);
  $effect(() => {
    if (!isOld()) return;
    const timer = setTimeout(() => (isLate = true), LATE_MS);
    return () => {
      clearTimeout(timer);
      isLate = false;
    };
  });
  return {
    get isLate() {
      return isLate;
    }
  };
}
