'use client';
import { AudioWaveform, BadgeCheck, Boxes, CircuitBoard, ClipboardCheck, Gauge, Sigma, Waypoints } from 'lucide-react';
import { areas, usePlace, type Area } from '@/store/place-store';

export const areaLook: Record<Area, { readonly title: string; readonly key: string; readonly Icon: typeof Boxes }> = {
  needs: { title: 'Needs', key: 'n', Icon: ClipboardCheck },
  product: { title: 'Product', key: 'p', Icon: Boxes },
  behaviour: { title: 'Behaviour', key: 'b', Icon: Waypoints },
  physics: { title: 'Physics', key: 'y', Icon: Sigma },
  control: { title: 'Control', key: 'c', Icon: AudioWaveform },
  bench: { title: 'Bench', key: 'e', Icon: Gauge },
  board: { title: 'Board', key: 'd', Icon: CircuitBoard },
  proof: { title: 'Proof', key: 'o', Icon: BadgeCheck },
};

export function Rail() {
  const here = usePlace((s) => s.area);
  const go = usePlace((s) => s.go);
  return (
    <nav className="rail" aria-label="Areas">
      {areas.map((area) => {
        const { title, key, Icon } = areaLook[area];
        return (
          <button
            key={area}
            type="button"
            aria-current={here === area ? 'page' : undefined}
            onClick={() => go({ area })}
            title={`${title} (g ${key})`}
          >
            <Icon size={19} strokeWidth={1.6} aria-hidden />
            {title}
          </button>
        );
      })}
    </nav>
  );
}
