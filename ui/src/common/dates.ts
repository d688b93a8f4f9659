/** Days and times as the page writes them, alike everywhere: 28/11/2026, 02:35. */

const LOCALE = 'en-GB';

type When = string | Date;

export const dayOf = (at: When): string => new Date(at).toLocaleDateString(LOCALE);

/** The day in full: Saturday, 28 November 2026. */
export const fullDayOf = (at: When): string =>
  new Date(at).toLocaleDateString(LOCALE, { weekday: 'long', day: 'numeric', month: 'long', year: 'numeric' });

export const timeOf = (at: When): string =>
  new Date(at).toLocaleTimeString(LOCALE, { hour: '2-digit', minute: '2-digit' });

/** The time to the second, for what comes several times a minute: 02:35:09. */
export const secondOf = (at: When): string => new Date(at).toLocaleTimeString(LOCALE);

export const momentOf = (at: When): string => new Date(at).toLocaleString(LOCALE);
