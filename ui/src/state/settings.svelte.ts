/** What this browser remembers of its user: theme, level, folded things. */

const KEY = 'jorvik.settings';

interface Remembered {
  theme: 'light' | 'dark' | 'system';
  level: number;
  pointerSeen: boolean;
  cautionSeen: boolean;
  last: string | null;
  /** How loud and how sharp the last sound played was. */
  heard: { loudness: number; centroid: number } | null;
  /** How signals are shown: as they are, in per cent, or in volts. */
  signals: 'plain' | 'percent' | 'volts';
  /** How the axis of a phrase is read. */
  axis: 'seconds' | 'beats';
  keys: boolean;
  /** Whether single letters do something; whoever speaks to their machine, or strays on keys, turns that off. */
  letters: boolean;
}

const FIRST: Remembered = {
  theme: 'system',
  level: 0.25,
  pointerSeen: false,
  cautionSeen: false,
  last: null,
  heard: null,
  signals: 'plain',
  axis: 'seconds',
  keys: false,
  letters: true
};

function read(): Remembered {
  try {
    return { ...FIRST, ...(JSON.parse(localStorage.getItem(KEY) ?? '{}') as Partial<Remembered>) };
  } catch {
    return { ...FIRST };
  }
}

class Settings {
  now: Remembered = $state(read());
  private system = matchMedia('(prefers-color-scheme: dark)');
  dark: boolean = $state(false);

  constructor() {
    this.system.addEventListener('change', () => this.apply());
    this.apply();
  }

  set(fields: Partial<Remembered>): void {
    Object.assign(this.now, fields);
    try {
      localStorage.setItem(KEY, JSON.stringify(this.now));
    } catch {
      // A browser that keeps nothing still works; it only forgets.
    }
    this.apply();
  }

  private apply(): void {
    this.dark = this.now.theme === 'system' ? this.system.matches : this.now.theme === 'dark';
    document.documentElement.classList.toggle('dark', this.dark);
  }
}

export const settings = new Settings();
