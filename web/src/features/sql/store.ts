// What stands as SQL below the bench: the open probe as it is, another one, or one cell.
import { create } from 'zustand';
import type { Coordinate, Probe } from '../../api/client';

export interface SqlAsked {
  /** null: the open probe, whatever it becomes. */
  probe: Probe | null;
  /** One cell of it: its measure and where it is. */
  cell: { measure: string; at: Coordinate[] } | null;
}

export interface SqlShown {
  sql: SqlAsked | null;
  dialect: string;
}

export const useSql = create<SqlShown>()(() => ({ sql: null, dialect: 'postgresql' }));

export const showSql = (probe: Probe | null = null, cell: SqlAsked['cell'] = null) => useSql.setState({ sql: { probe, cell } });
export const closeSql = () => useSql.setState({ sql: null });
