import { useShares } from '@/store/coverage-store';

/** How much of a part type test cases come through; nothing where that is not shown. */
export function Share({ typeName }: { readonly typeName: string }) {
  const share = useShares().get(typeName);
  if (!share || share.wanted === 0) return null;
  const part = Math.floor((100 * share.covered) / share.wanted);
  return (
    <span
      className={`share ms-1${share.covered < share.wanted ? ' open' : ''}`}
      title={`Test cases come through ${share.covered} of ${share.wanted} of ${typeName}`}
    >
      {part} %
    </span>
  );
}
