import { beforeEach, describe, expect, it } from 'vitest';
import type { Folio, Probe } from '../src/api/client';
import { useFrame } from '../src/app/frame';
import { actions, forgetSteps, onScreen } from '../src/app/shown';
import { useFolio } from '../src/features/folio/store';
import { EMPTY_PROBE, probeStates, putProbeStates, useProbe } from '../src/features/probe/store';

const probe = (measure: string): Probe => ({ ...EMPTY_PROBE, measures: [measure] });
const folio = (name: string): Folio => ({ name, picks: [], tiles: [] });
const steps = () => [useProbe.temporal.getState().pastStates.length, useProbe.temporal.getState().futureStates.length];

beforeEach(() => {
  actions.set({ probe: null, folio: null, selection: null, fact: null, drilled: null });
  forgetSteps();
});

describe('the open probe', () => {
  it('has an undo of its own, over which it is never nothing', () => {
    actions.setProbe({ rows: ['Port.name'] });
    actions.setProbe({ measures: ['seats'] });
    actions.takeProbe({ ...EMPTY_PROBE, rows: ['Port.name'], measures: ['seats'] }); // the same: no step
    expect(steps()).toEqual([2, 0]);
    actions.undoProbe();
    expect(onScreen().probe).toEqual({ ...EMPTY_PROBE, rows: ['Port.name'] });
    actions.undoProbe();
    actions.undoProbe();
    expect([onScreen().probe, ...steps()]).toEqual([EMPTY_PROBE, 0, 2]);
    actions.redoProbe();
    actions.takeProbe(probe('other'));
    expect(steps()).toEqual([2, 0]); // what was undone is gone
  });

  it('keeps no step of what is put there, and none of one that was opened', () => {
    actions.setProbe({ measures: ['a'] });
    actions.set({ probe: probe('renamed'), drilled: ['Port.name'] });
    expect(steps()).toEqual([1, 0]);
    actions.openProbe(probe('another'));
    expect([onScreen().probe?.measures, ...steps()]).toEqual([['another'], 0, 0]);
  });

  it('is written anew in every state', () => {
    for (const name of ['a', 'b', 'c']) actions.takeProbe(probe(name));
    actions.undoProbe();
    const { probe: now, back, forth } = probeStates();
    const anew = (p: Probe) => ({ ...p, measures: p.measures.map((m) => `${m}!`) });
    putProbeStates(anew(now as Probe), back.map(anew), forth.map(anew));
    expect(onScreen().probe?.measures).toEqual(['b!']);
    actions.redoProbe();
    expect(onScreen().probe?.measures).toEqual(['c!']);
    actions.undoProbe();
    actions.undoProbe();
    expect(onScreen().probe?.measures).toEqual(['a!']);
  });

  it('goes back sixty steps', () => {
    for (let i = 0; i < 80; i += 1) actions.setProbe({ measures: [`m${i}`] });
    expect(steps()).toEqual([60, 0]);
  });
});

describe('the open folio', () => {
  it('takes steps back, but not the typing of its name', () => {
    actions.openFolio(folio('A'));
    const count = onScreen().folioCount;
    actions.setFolio({ tiles: [{ kind: 'text', text: 'x' }] });
    actions.setFolio({ name: 'AB' });
    actions.takeFolio(folio('A'));
    expect(useFolio.temporal.getState().pastStates.length).toBe(2);
    actions.undoFolio();
    expect(onScreen().folio?.tiles).toHaveLength(1);
    actions.undoFolio();
    expect([onScreen().folio?.tiles, onScreen().folioCount]).toEqual([[], count]);
    actions.redoFolio();
    expect(onScreen().folio?.tiles).toHaveLength(1);
  });

  it('lets go of what was told of a tile when its picks change, or a step is taken back', () => {
    const cell = { kind: 'cell', measure: 'm', at: [] } as const;
    actions.openFolio(folio('A'));
    actions.select({ ...cell, at: [] });
    actions.setFolio({ tiles: [] });
    expect(useFrame.getState().selection).not.toBeNull();
    actions.setFolio({ picks: [{ where: 'x' }] });
    expect(useFrame.getState().selection).toBeNull();
    actions.select({ ...cell, at: [] });
    actions.undoFolio();
    expect(useFrame.getState().selection).toBeNull();
  });
});

describe('parts of several features', () => {
  it('are put on screen at once, each where it is kept', () => {
    actions.set({ fact: 'Booking', measure: 'seats', shapeView: 'keys', reading: 'r', folioFrom: 'A', lensOpen: false, drilled: ['x'] });
    expect(onScreen()).toMatchObject({
      fact: 'Booking',
      measure: 'seats',
      shapeView: 'keys',
      reading: 'r',
      folioFrom: 'A',
      lensOpen: false,
    });
    expect(onScreen().drilled).toEqual(['x']);
  });
});
