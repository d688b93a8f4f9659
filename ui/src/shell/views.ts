/** The views of a patch: a line for each, from which tabs, shortcuts and the help page come. */
import type { Component } from 'svelte';
import BankView from '../bank/BankView.svelte';
import CompareView from '../compare/CompareView.svelte';
import LibraryView from '../library/LibraryView.svelte';
import LogbookView from '../logbook/LogbookView.svelte';
import PaperView from '../paper/PaperView.svelte';
import MachineView from '../machine/MachineView.svelte';
import MapView from '../map/MapView.svelte';
import RangeView from '../range/RangeView.svelte';
import MatchView from '../match/MatchView.svelte';
import NoteSheet from '../sheet/NoteSheet.svelte';
import PracticeView from '../practice/PracticeView.svelte';
import SoundView from '../sound/SoundView.svelte';

export interface ViewFacts {
  id: string;
  title: string;
  /** The letter that opens it. */
  key: string;
  says: string;
  shows: Component;
}

export const VIEWS: readonly ViewFacts[] = [
  {
    id: 'note',
    title: 'Note',
    key: 'N',
    says: 'the note sheet: sources, staves and what moves what',
    shows: NoteSheet
  },
  {
    id: 'sound',
    title: 'Sound',
    key: 'S',
    says: 'what is heard: wave, spectrogram, spectrum and levels',
    shows: SoundView
  },
  {
    id: 'compare',
    title: 'Compare',
    key: 'C',
    says: 'the note at many velocities, keys or versions',
    shows: CompareView
  },
  {
    id: 'range',
    title: 'Range',
    key: 'R',
    says: 'a sweep of one control: where it starts, stops, turns thin or harsh',
    shows: RangeView
  },
  {
    id: 'match',
    title: 'Match',
    key: 'E',
    says: 'a recorded note as a target: what is in it, and a patch brought near to it',
    shows: MatchView
  },
  { id: 'map', title: 'Map', key: 'M', says: 'what leads where, from signals to staves', shows: MapView },
  {
    id: 'library',
    title: 'Library',
    key: 'P',
    says: 'everything that is kept: found, in banks, and acted on many at once',
    shows: LibraryView
  },
  {
    id: 'bank',
    title: 'Bank',
    key: 'W',
    says: 'work over many patches: checked, measured, rendered, sampled, printed',
    shows: BankView
  },
  {
    id: 'logbook',
    title: 'Logbook',
    key: 'B',
    says: 'what was done and why, by day and by patch',
    shows: LogbookView
  },
  {
    id: 'paper',
    title: 'Paper',
    key: 'O',
    says: 'the sheet to print: staves, sentences, tables, in black and white',
    shows: PaperView
  },
  {
    id: 'machine',
    title: 'Machine',
    key: 'I',
    says: 'the patch in the figures of an instrument at hand, and back',
    shows: MachineView
  },
  {
    id: 'practice',
    title: 'Practice',
    key: 'A',
    says: 'tasks made fresh and marked: read, hear, work out, find, make, play',
    shows: PracticeView
  }
];
