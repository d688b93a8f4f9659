import { describe, expect, it } from 'vitest';
import type { Catalogue, FieldFacts, Patch, Route } from '../api/api';
import * as doc from './document';
import { withNote } from './document';
import { named } from '../common/testing';

const field = (name: string, role: string) => ({ name, role, help: '', default: 0 });
const catalogue = {
  kinds: [
    { kind: 'lfo', title: 'LFO', role: 'source', help: '', fields: [field('rate', 'number')] },
    { kind: 'slew', title: 'Slew', role: 'processor', help: '', fields: [field('input', 'signal')] },
    { kind: 'mix', title: 'Mix', role: 'processor', help: '', fields: [field('inputs', 'mix_inputs')] },
    { kind: 'macro', title: 'Macro', role: 'control', help: '', fields: [] }
  ],
  destinations: [],
  signals: {},
  tables: {}
} as unknown as Catalogue;

const patch = {
  format: 'jorvik-patch',
  version: 1,
  performance: { controls: { 'macro:grip': [[0, 0.5]] } },
  modules: [
    { id: 'sway', kind: 'lfo' },
    { id: 'lag', kind: 'slew', input: 'sway' },
    { id: 'sum', kind: 'mix', inputs: [{ source: 'sway' }, { source: 'gate' }, { source: 0.5 }] },
    { id: 'grip', kind: 'macro' }
  ],
  routes: [
    { id: 'a', source: 'sway', destination: 'pitch', amount: 1 },
    { id: 'b', source: 'lag', destination: 'sway.rate', amount: 1 },
    { id: 'c', source: 'lag', destination: 'cutoff', amount: 5, via: 'sway' },
    { id: 'd', source: 'gate', destination: 'route:a.amount', amount: 1 },
    { id: 'e', source: 'gate', destination: 'route:d.amount', amount: 1 }
  ]
} as unknown as Patch;

const before = JSON.stringify(patch);
const routeIds = (of: Patch) => doc.routes(of).map((route) => route.id);

describe('another test note', () => {
  const played = (patch: Patch) => patch.performance?.notes?.map((n) => [n.key, n.velocity, n.length_s]);
  const row: Patch = {
    ...named('row'),
    performance: {
      notes: [
        { key: 48, velocity: 40, length_s: 0.2 },
        { key: 55, velocity: 90, length_s: 0.3 }
      ]
    }
  };

  it('moves a row by its first key, and sets velocity and length of each', () => {
    expect(played(withNote(row, { key: 50 }))).toEqual([
      [50, 40, 0.2],
      [57, 90, 0.3]
    ]);
    expect(played(withNote(row, { velocity: 118, length_s: 1 }))).toEqual([
      [48, 118, 1],
      [55, 118, 1]
    ]);
  });
});

describe('removing', () => {
  it('takes what moved the amount of a removed route with it, and what moved that', () => {
    expect(routeIds(doc.removeRoutes(patch, ['a']))).toEqual(['b', 'c']);
    expect(JSON.stringify(patch)).toBe(before);
  });

  it('leaves nothing that reads a removed source', () => {
    const without = doc.removeModule(patch, 'sway', catalogue);
    expect(JSON.stringify(without)).not.toContain('sway');
    expect(routeIds(without)).toEqual(['c']);
    expect(doc.routes(without)[0]?.via).toBeNull();
    expect(doc.modules(without)).toEqual([
      { id: 'lag', kind: 'slew', input: 0 },
      { id: 'sum', kind: 'mix', inputs: [{ source: 0 }, { source: 'gate' }, { source: 0.5 }] },
      { id: 'grip', kind: 'macro' }
    ]);
    expect(JSON.stringify(patch)).toBe(before);
  });

  it('takes the control lane of a removed macro with it', () => {
    expect(doc.removeModule(patch, 'grip', catalogue).performance?.controls).toEqual({});
  });
});

describe('renaming', () => {
  it('changes the name wherever it is spoken of, and nothing else', () => {
    const renamed = doc.renameModule(patch, 'sway', 'rock', catalogue);
    expect(JSON.stringify(renamed)).not.toContain('sway');
    expect(JSON.stringify(doc.renameModule(renamed, 'rock', 'sway', catalogue))).toBe(before);
  });

  it('renames the control lane of a macro', () => {
    const controls = doc.renameModule(patch, 'grip', 'hold', catalogue).performance?.controls;
    expect(controls).toEqual({ 'macro:hold': [[0, 0.5]] });
    const given = doc.replaceModule(patch, 'grip', { name: 'Firm grip' });
    const renamed = doc.modules(doc.renameModule(given, 'grip', 'hold', catalogue)).find(({ id }) => id === 'hold');
    expect(renamed).toMatchObject({ kind: 'macro', name: '' });
  });
});

describe('splitting', () => {
  it('gives each destination a source of its own, alike, and leaves the rest', () => {
    const two = {
      ...patch,
      routes: [...patch.routes!, { id: 'f', source: 'lag', destination: 'cutoff', amount: 2 }]
    } as Patch;
    const split = doc.splitSource(two, 'lag', catalogue);
    const names = split.modules!.map((module) => module.id);
    expect(names).toEqual(['sway', 'lag', 'lag cutoff', 'sum', 'grip']);
    expect(split.modules![2]).toEqual({ id: 'lag cutoff', kind: 'slew', input: 'sway' });
    const sources = Object.fromEntries(split.routes!.map((route) => [route.id, route.source]));
    expect(sources).toMatchObject({ b: 'lag', c: 'lag cutoff', f: 'lag cutoff', a: 'sway', d: 'gate' });
    // Handed over again it is as it was, but for the copy that moves nothing.
    const back = doc.handOver(split, 'lag cutoff', 'lag');
    expect(back.routes).toEqual(two.routes);
    expect(doc.splitSource(patch, 'gate', catalogue)).toBe(patch);
    const moved = doc.splitSource({ ...two, routes: two.routes!.map((r) => ({ ...r, via: null })) }, 'sway', catalogue);
    expect(moved.routes!.length).toBe(two.routes!.length);
    const swayed = { ...two, routes: [...two.routes!, { id: 'g', source: 'sway', destination: 'fold' }] } as Patch;
    const both = doc.splitSource(swayed, 'sway', catalogue).routes!.filter((r) => r.destination.endsWith('.rate'));
    expect(both.map((route) => [route.source, route.destination])).toEqual([
      ['lag', 'sway.rate'],
      ['lag', 'sway fold.rate']
    ]);
  });
});

describe('a source of chance, and a signal that is heard', () => {
  const chance = { kind: 'random', title: 'Random', role: 'source', help: '', fields: [field('stream', 'stream')] };
  const known = { ...catalogue, kinds: [...catalogue.kinds, chance] } as unknown as Catalogue;
  const dice = { ...patch, voice: { signal: 'dice' }, modules: [{ id: 'dice', kind: 'random' }], routes: [] } as Patch;

  it('keeps its numbers under another name, and a stream that was said', () => {
    const renamed = doc.renameModule(dice, 'dice', 'bones', known);
    expect(renamed.modules).toEqual([{ id: 'bones', kind: 'random', stream: 'dice' }]);
    expect(doc.renameModule(renamed, 'bones', 'knuckles', known).modules![0]).toMatchObject({ stream: 'dice' });
    expect(doc.renameModule(patch, 'sway', 'rock', known).modules![0]).toEqual({ id: 'rock', kind: 'lfo' });
  });

  it('stands beside a copy of itself for each other choice, on the same numbers', () => {
    const join = { ...field('join', 'choice'), choices: ['hold', 'line', 'cosine'], default: 'hold' } as FieldFacts;
    const moved = { ...dice, routes: [{ id: 'g', source: 'gate', destination: 'dice.rate', amount: 1 }] } as Patch;
    const [laid, names] = doc.eachChoice(moved, 'dice', join, known);
    expect(names).toEqual(['dice line', 'dice cosine']);
    expect(laid.modules).toEqual([
      { id: 'dice', kind: 'random' },
      { id: 'dice line', kind: 'random', join: 'line', stream: 'dice', joined: true },
      { id: 'dice cosine', kind: 'random', join: 'cosine', stream: 'dice', joined: true }
    ]);
    expect(laid.routes!.map((route) => route.destination)).toEqual(['dice.rate', 'dice line.rate', 'dice cosine.rate']);
    const drawn = { ...join, choices: ['hold', 'drawn'] } as FieldFacts;
    expect(doc.eachChoice(moved, 'dice', drawn, known)[1]).toEqual([]);
  });

  it('draws from a stream that nothing else uses, added, renamed, doubled or pasted', () => {
    const kind = chance as unknown as Catalogue['kinds'][number];
    let made = { ...patch, modules: [], routes: [] } as Patch;
    for (const name of ['grit', 'rain', 'hail']) {
      const [next, id] = doc.addModule(made, kind);
      made = doc.renameModule(next, id, name, known);
    }
    [made] = doc.duplicateModule(made, 'grit');
    [made] = doc.pasted(made, { module: made.modules![1]!, routes: [] }, []);
    const streams = made.modules!.map(doc.streamOf);
    expect(streams.length).toBe(5);
    expect(new Set(streams).size).toBe(5);
    // A copy of what draws nothing gets no stream, nor do those that it is split into.
    const [twice, sway] = doc.duplicateModule(patch, 'sway');
    const moved = { ...twice, routes: [...twice.routes!, { id: 'g', source: sway, destination: 'fold' }] } as Patch;
    for (const module of doc.splitSource(moved, sway, known).modules!)
      expect(Object.keys(module)).not.toEqual(expect.arrayContaining(['joined']));
  });

  it('draws the numbers of another only when it is joined, and its own again after', () => {
    const two = { ...dice, modules: [...dice.modules!, { id: 'coin', kind: 'random' }] } as Patch;
    const joined = doc.joinStream(two, 'coin', 'dice');
    expect(joined.modules![1]).toEqual({ id: 'coin', kind: 'random', stream: 'dice', joined: true });
    const renamed = doc.renameModule(joined, 'dice', 'coin 2', known);
    const own = doc.joinStream(renamed, 'coin', '').modules!;
    expect(new Set(own.map(doc.streamOf)).size).toBe(2);
    expect(own[1]).toMatchObject({ stream: 'coin' });
  });

  it('is heard under its new name, and no more when it is gone', () => {
    expect(doc.renameModule(dice, 'dice', 'bones', known).voice?.signal).toBe('bones');
    expect(doc.removeModule(dice, 'dice', known).voice?.signal).toBeNull();
  });
});

describe('adding', () => {
  it('finds an id that is free', () => {
    expect(doc.freeId('lfo', [])).toBe('lfo');
    expect(doc.freeId('lfo', ['lfo', 'lfo 2'])).toBe('lfo 3');
    const [next, id] = doc.addModule(patch, catalogue.kinds[0]!);
    expect(id).toBe('lfo');
    expect(doc.addModule(next, catalogue.kinds[0]!)[1]).toBe('lfo 2');
  });

  it('gives a route an id without what ids may not hold', () => {
    const [, id] = doc.addRoute(patch, 'sway', 'lag.rise_s', { amount: 0.05, mode: 'add' });
    expect(id).not.toMatch(/[.:]/);
  });

  it('begins a route as the catalogue says, and one on an amount by taking all of that away', () => {
    const first = { amount: 1, mode: 'scale' } as const;
    const [next, id] = doc.addRoute(patch, 'sway', 'amplitude', first);
    expect(doc.routes(next).at(-1)).toMatchObject(first);
    const [moved] = doc.addRoute(next, 'sway', `route:${id}.amount`, { amount: 0.3, mode: 'add' });
    expect(doc.routes(moved).at(-1)).toMatchObject({ mode: 'add', amount: -1 });
  });
});

describe('telling apart', () => {
  it('gives every one of twenty-five sources a look of its own', () => {
    const many = { ...patch, modules: Array.from({ length: 25 }, (_, i) => ({ id: `m${i}`, kind: 'lfo' })) } as Patch;
    const looks = doc.modules(many).map((module) => JSON.stringify(doc.dyeOf(many, module.id)));
    expect(new Set(looks).size).toBe(25);
  });

  it('never tells neighbours apart by colour alone', () => {
    const dashes = doc.modules(patch).map((module) => doc.dyeOf(patch, module.id).dash.join());
    expect(new Set(dashes).size).toBe(dashes.length);
  });
});

describe('sentences', () => {
  const route: Route = { id: 'x', source: 'sway', destination: 'cutoff', amount: 7 };
  it('say what moves what, how far, and what scales it', () => {
    expect(doc.sentence({ ...route, via: 'mod_wheel' }, '7 st', 'cutoff', doc.verbOf(route, false))).toBe(
      'sway raises cutoff 7 st, scaled by mod wheel'
    );
    expect(doc.verbOf({ ...route, amount: -7 }, false)).toBe('lowers it');
    expect(doc.verbOf(route, true)).toContain('±');
    expect(doc.verbOf({ ...route, mode: 'scale' }, true)).toBe('scales it');
  });
});

describe('handing over, doubling, turning over', () => {
  it('gives all routes of a source to another, or those named', () => {
    const all = doc.handOver(patch, 'lag', 'sum');
    expect(doc.routes(all).filter((r) => r.source === 'lag')).toEqual([]);
    expect(
      doc
        .routes(all)
        .filter((r) => r.source === 'sum')
        .map((r) => r.id)
    ).toEqual(['b', 'c']);
    const one = doc.handOver(patch, 'lag', 'grip', ['c']);
    expect(
      doc
        .routes(one)
        .filter((r) => r.source === 'grip')
        .map((r) => r.id)
    ).toEqual(['c']);
    expect(JSON.stringify(patch)).toBe(before);
  });
  it('doubles a source with its routes under free names', () => {
    const [next, name] = doc.duplicateModule(patch, 'lag');
    expect(name).toBe('lag 2');
    const copies = doc.routes(next).filter((r) => r.source === name);
    expect(copies.map((r) => [r.destination, r.amount])).toEqual([
      ['sway.rate', 1],
      ['cutoff', 5]
    ]);
    expect(new Set(routeIds(next)).size).toBe(routeIds(next).length);
  });
  it('pastes what another patch can take, and leaves out the rest', () => {
    const clip = { module: doc.modules(patch)[1]!, routes: doc.routes(patch).filter((r) => r.source === 'lag') };
    const empty = { format: 'jorvik-patch', version: 1 } as unknown as Patch;
    const [next, name] = doc.pasted(empty, clip, ['velocity', 'gate']);
    expect(name).toBe('lag');
    expect(doc.routes(next).map((r) => [r.destination, r.via])).toEqual([['cutoff', null]]);
  });
  it('turns a route over, and back', () => {
    const once = doc.inverted(patch, 'c');
    expect(doc.routes(once)[2]!.amount).toBe(-5);
    expect(doc.inverted(once, 'c')).toEqual(patch);
  });
  it('lets one sound alone, and all again', () => {
    const alone = doc.soloed(patch, (route) => route.id === 'a');
    expect(
      doc
        .routes(alone)
        .filter((r) => r.enabled !== false)
        .map((r) => r.id)
    ).toEqual(['a']);
    expect(doc.routes(doc.soloed(alone, null)).every((r) => r.enabled)).toBe(true);
  });
  it('brings one source or one route back from an older version', () => {
    const changed = doc.replaceRoute(doc.replaceModule(patch, 'lag', { rise_s: 2 }), 'c', { amount: 9 });
    const route = doc.restoredFrom(changed, patch, { route: 'c' });
    expect(doc.routes(route)[2]!.amount).toBe(5);
    expect(doc.modules(route)[1]).toEqual(doc.modules(changed)[1]);
    expect(doc.restoredFrom(changed, patch, { source: 'lag' })).toEqual(patch);
    const without = doc.removeModule(patch, 'lag', catalogue);
    expect(doc.modules(doc.restoredFrom(without, patch, { source: 'lag' })).map((m) => m.id)).toContain('lag');
  });

  it('take over a stave with what it is set at and what moves it, and the voice without either', () => {
    const one = { format: 'jorvik-patch', version: 1 } as const;
    const here: Patch = {
      ...one,
      voice: { base: { cutoff: 200, fold: 0.5 }, filter: { response: 'low' } },
      modules: [{ id: 'lip', kind: 'envelope' }],
      routes: [
        { id: 'a', source: 'lip', destination: 'cutoff', amount: 1 },
        { id: 'b', source: 'lip', destination: 'fold', amount: 2 }
      ]
    };
    const there: Patch = {
      ...one,
      voice: { base: { cutoff: 900 }, filter: { response: 'high' } },
      modules: [
        { id: 'lip', kind: 'envelope' },
        { id: 'sway', kind: 'lfo' }
      ],
      routes: [
        { id: 'a', source: 'lip', destination: 'cutoff', amount: 7 },
        { id: 'c', source: 'velocity', destination: 'cutoff', amount: 3 },
        { id: 'd', source: 'sway', destination: 'cutoff', amount: 4 }
      ]
    };
    const stave = doc.restoredFrom(here, there, { stave: 'cutoff' });
    expect(stave.voice?.base).toEqual({ cutoff: 900, fold: 0.5 });
    // What comes from a source that is not here stays away.
    expect(doc.routes(stave).map((route) => [route.id, route.amount])).toEqual([
      ['b', 2],
      ['a', 7],
      ['c', 3]
    ]);
    expect(doc.restoredFrom(here, there, { stave: 'fold' }).voice?.base).toEqual({ cutoff: 200 });
    const voice = doc.restoredFrom(here, there, { voice: true });
    expect(voice.voice).toEqual({ base: { cutoff: 200, fold: 0.5 }, filter: { response: 'high' } });
    expect(doc.routes(voice)).toEqual(doc.routes(here));
  });
});
