// The open probe, with its own undo, and what is being done to it.
import { temporal } from 'zundo';
import { create } from 'zustand';
import type { Member, Probe } from '../../api/client';
import { sameProbe } from '../../app/shapes';

const MOST_BACK = 60;

export const EMPTY_PROBE: Probe = { rows: [], columns: [], measures: [], picks: [], totals: 'all' };

/** A cell set beside the chosen one. */
export interface OtherCell {
  measure: string;
  at: { column: string; member: Member }[];
}

export interface ProbeShown {
  probe: Probe | null;
  /** The columns that were drilled through, the widest first. */
  drilled: string[] | null;
  /** A chip that was cut, to be put in elsewhere. */
  cut: { part: 'measures' | 'rows' | 'columns'; name: string } | null;
  other: OtherCell | null;
}

/** Its `temporal` keeps the probe's earlier and undone states. */
export const useProbe = create<ProbeShown>()(
  temporal((): ProbeShown => ({ probe: null, drilled: null, cut: null, other: null }), {
    partialize: ({ probe }) => ({ probe }),
    equality: (a, b) => a.probe === b.probe,
    limit: MOST_BACK,
  }),
);

/** Changes what is no step of the person's: nothing of it is undone. */
export function putProbe(part: Partial<ProbeShown>): void {
  const history = useProbe.temporal.getState();
  history.pause();
  useProbe.setState(part);
  history.resume();
}

/** Puts another probe in the open one's place; undone as its changes are. */
export function takeProbe(probe: Probe): void {
  const now = useProbe.getState().probe;
  if (sameProbe(now ?? EMPTY_PROBE, probe)) return;
  if (!now) putProbe({ probe: EMPTY_PROBE });
  useProbe.setState({ probe });
}

/** One step: parts of the open probe changed. */
export function setProbe(change: Partial<Probe>): void {
  if (!useProbe.getState().probe) putProbe({ probe: EMPTY_PROBE });
  useProbe.setState((s) => ({ probe: { ...(s.probe ?? EMPTY_PROBE), ...change } }));
}

/** Another probe is opened: what was before it is no state of its own. */
export function openProbe(probe: Probe): void {
  putProbe({ probe });
  useProbe.temporal.getState().clear();
}

export const undoProbe = () => useProbe.temporal.getState().undo();
export const redoProbe = () => useProbe.temporal.getState().redo();

const probesOf = (states: { probe?: Probe | null }[]): Probe[] => states.flatMap((s) => (s.probe ? [s.probe] : []));

/** Every state of the open probe: before it, it, and undone. */
export function probeStates(): { probe: Probe | null; back: Probe[]; forth: Probe[] } {
  const { pastStates, futureStates } = useProbe.temporal.getState();
  return { probe: useProbe.getState().probe, back: probesOf(pastStates), forth: probesOf(futureStates) };
}

/** The same states written anew. */
export function putProbeStates(probe: Probe, back: Probe[], forth: Probe[]): void {
  putProbe({ probe });
  const states = (probes: Probe[]) => probes.map((p) => ({ probe: p }));
  useProbe.temporal.setState({ pastStates: states(back), futureStates: states(forth) });
}

/** The probe to ask for: a pick of nothing yet lets everything through until something is ticked; how it looks is not asked. */
export function askedProbe(probe: Probe): Probe {
  const { look: _look, description: _description, ...rest } = probe;
  return { ...rest, picks: probe.picks.filter((p) => 'where' in p || p.in.length > 0) };
}
