import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useWindowVirtualizer } from '@tanstack/react-virtual';
import { useLayoutEffect, useRef, useState } from 'react';
import type { DeviceNow } from '../../api/schema';
import { CARD_HEIGHT, LampCard } from './LampCard';
import { LampLine, LINE_HEIGHT } from './LampLine';
import { rows, type Grouping, type Row } from './rows';

const GAP = 16;
const CARD_WIDTH = 300;
const HEADING_HEIGHT = 56;

const HEIGHT: Record<Row['form'], number> = {
  heading: HEADING_HEIGHT,
  cards: CARD_HEIGHT + GAP,
  line: LINE_HEIGHT,
};

/** Devices as cards or lines. Only those near the window are drawn, so that thousands cost no more than some. */
export function LampList({
  devices,
  site,
  by,
  form,
}: {
  devices: DeviceNow[];
  site: string;
  by: Grouping;
  form: 'cards' | 'list';
}) {
  const frame = useRef<HTMLDivElement>(null);
  const [{ width, top }, setPlace] = useState({ width: 0, top: 0 });
  useLayoutEffect(() => {
    const element = frame.current;
    if (element === null) return;
    const measure = () => setPlace({ width: element.clientWidth, top: element.offsetTop });
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const columns = form === 'list' ? 0 : Math.max(1, Math.floor((width + GAP) / (CARD_WIDTH + GAP)));
  const all = rows(devices, by, columns);
  const virtual = useWindowVirtualizer({
    count: all.length,
    estimateSize: (index) => HEIGHT[all[index]?.form ?? 'line'],
    overscan: form === 'list' ? 8 : 2,
    scrollMargin: top,
  });
  return (
    <Box ref={frame} sx={{ position: 'relative', height: virtual.getTotalSize() }}>
      {width > 0 &&
        virtual.getVirtualItems().map((item) => {
          const row = all[item.index];
          return (
            row && (
              <Box
                key={item.key}
                sx={{ position: 'absolute', left: 0, right: 0 }}
                style={{ height: item.size, transform: `translateY(${item.start - top}px)` }}
              >
                <LampRow row={row} site={site} columns={columns} />
              </Box>
            )
          );
        })}
    </Box>
  );
}

function LampRow({ row, site, columns }: { row: Row; site: string; columns: number }) {
  if (row.form === 'heading') {
    return (
      <Typography variant="h3" component="p" sx={{ pt: 2 }}>
        {row.title} ({row.count})
      </Typography>
    );
  }
  if (row.form === 'line') return <LampLine device={row.device} site={site} />;
  return (
    <Box sx={{ display: 'grid', gap: `${GAP}px`, gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}>
      {row.devices.map((device) => (
        <LampCard key={device.device} device={device} site={site} />
      ))}
    </Box>
  );
}
