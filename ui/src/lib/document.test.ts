import { describe, expect, it } from 'vitest';
import type { Catalogue, Patch, Route } from './api';
import * as doc from './document';

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
    const [, id] = doc.addRoute(patch, 'sway', 'lag.rise_s', 's');
    expect(id).not.toMatch(/[.:]/);
  });

  it('scales the amplitude and adds to everything else', () => {
    const added = (destination: string): Route => doc.routes(doc.addRoute(patch, 'sway', destination, 'st')[0]).at(-1)!;
    expect(added('amplitude')).toMatchObject({ mode: 'scale', amount: 1 });
    expect(added('cutoff').mode).toBe('add');
    expect(Math.abs(added('pitch').amount ?? 0)).toBeLessThanOrEqual(1);
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
