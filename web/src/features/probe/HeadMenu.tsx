// What can be done with a measure of the grid: order, top lines, shades, bars, its format.
import { Menu } from '@mantine/core';
import type { GridMeasure as Measured, Look, Probe } from '../../api/client';
import { actions } from '../../app/shown';

const FORMATS = ['#,##0', '#,##0.0', '#,##0.00', '0%', '0.0%', '+#,##0;-#,##0'];
const TOPS = [5, 10, 25, 100];

export interface HeadMenuAsked {
  measure: Measured;
  at: DOMRect;
}

export function HeadMenu({ measure, at, probe, close }: HeadMenuAsked & { probe: Probe; close: () => void }) {
  const put = actions.setProbe;
  const look: Look = probe.look ?? {};
  const { name } = measure;
  const flip = (part: 'shade' | 'bars') => {
    const now = look[part] ?? [];
    put({ look: { ...look, [part]: now.includes(name) ? now.filter((m) => m !== name) : [...now, name] } });
  };
  return (
    <Menu opened onChange={(open) => !open && close()} shadow="none" position="bottom-end" width={210}>
      <Menu.Target>
        <span style={{ position: 'fixed', left: at.left, top: at.top, width: at.width, height: at.height, pointerEvents: 'none' }} />
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => put({ sort: [{ by: name, desc: true }] })}>Largest first</Menu.Item>
        <Menu.Item onClick={() => put({ sort: [{ by: name, desc: false }] })}>Smallest first</Menu.Item>
        {(probe.sort?.length ?? 0) > 0 && <Menu.Item onClick={() => put({ sort: [] })}>As the axis has it</Menu.Item>}
        <Menu.Divider />
        {TOPS.map((n) => (
          <Menu.Item key={n} onClick={() => put({ top: { count: n, by: name }, sort: [{ by: name, desc: true }] })}>
            The top {n} of each
          </Menu.Item>
        ))}
        {probe.top && <Menu.Item onClick={() => put({ top: undefined })}>All lines again</Menu.Item>}
        <Menu.Divider />
        <Menu.Item onClick={() => flip('shade')}>{look.shade?.includes(name) ? 'No shades' : 'Shade by value'}</Menu.Item>
        <Menu.Item onClick={() => flip('bars')}>{look.bars?.includes(name) ? 'No bars' : 'Bars in cells'}</Menu.Item>
        <Menu.Divider />
        {FORMATS.map((f) => (
          <Menu.Item key={f} onClick={() => put({ look: { ...look, formats: { ...look.formats, [name]: f } } })}>
            <span className="mono">{f}</span>
            {(look.formats?.[name] ?? measure.format) === f ? ' ✓' : ''}
          </Menu.Item>
        ))}
        <input
          className="field mono"
          style={{ margin: '3px 0' }}
          aria-label="A format of its own"
          placeholder="a pattern of its own"
          defaultValue={FORMATS.includes(look.formats?.[name] ?? '') ? '' : (look.formats?.[name] ?? '')}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') put({ look: { ...look, formats: { ...look.formats, [name]: e.currentTarget.value.trim() } } });
          }}
        />
        <Menu.Divider />
        <Menu.Item onClick={() => actions.set({ selection: { kind: 'measure', name }, lensOpen: true })}>What it is</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
