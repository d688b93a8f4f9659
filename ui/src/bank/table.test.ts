import { describe, expect, it } from 'vitest';
import { about, cell, found, heading, patchOf, shownColumns, size, sorted, type Row } from './table';

const row = (fields: Partial<Row>): Row => ({ patch: 'Bell', file: 'a.json', state: 'done', said: '', ...fields });

describe('the table of a work', () => {
  const rows = [
    row({ patch: 'Horn', loudness_lufs: -12, rules: ['click'], key: 36, empty: null }),
    row({ patch: 'Bell', loudness_lufs: -20.5, rules: [] }),
    row({ patch: 'Weir', state: 'failed', said: 'It took longer than 5 s.' })
  ];

  it('shows the columns that have something in them', () => {
    expect(shownColumns(rows)).toEqual(['loudness_lufs', 'rules', 'key']);
    expect(heading('loudness_lufs')).toBe('loudness, LUFS');
    expect(heading('map_said')).toBe('map said');
  });

  it('sorts by figures as figures, what has none last, either way', () => {
    expect(sorted(rows, 'loudness_lufs', false).map((one) => one.patch)).toEqual(['Bell', 'Horn', 'Weir']);
    expect(sorted(rows, 'loudness_lufs', true).map((one) => one.patch)).toEqual(['Horn', 'Bell', 'Weir']);
    expect(sorted(rows, 'patch', false).map((one) => one.patch)).toEqual(['Bell', 'Horn', 'Weir']);
  });

  it('finds by any word, and by what became of a row', () => {
    expect(found(rows, 'click', '').map((one) => one.patch)).toEqual(['Horn']);
    expect(found(rows, 'longer 5', '').map((one) => one.patch)).toEqual(['Weir']);
    expect(found(rows, '', 'done')).toHaveLength(2);
  });

  it('says figures, times and sizes as they are read', () => {
    expect(cell(-20.512345)).toBe('−20.512');
    expect(cell(['never_closes', 'click'])).toBe('never closes, click');
    expect([about(0.4), about(35.2), about(240), about(9000)]).toEqual([
      'under a second',
      'about 35 s',
      'about 4 min',
      'about 2.5 h'
    ]);
    expect([size(400), size(2_500_000), size(4e8)]).toEqual(['1 kB', '2.5 MB', '400 MB']);
  });

  it('knows the patch of the library by the name of its file', () => {
    expect(patchOf(row({ file: '0f1a-22-7.json' }))).toBe('0f1a-22');
  });
});
