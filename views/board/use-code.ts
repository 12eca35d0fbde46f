'use client';
import { useEffect, useState } from 'react';
import type { PartType, Project } from '@/core/project/project';
import type { CodeOfType } from '@/core/run/protocol';
import { codeOf } from '@/store/checking';

/** The code of the document as it is; what was there stays until it has come. */
export function useCode(project: Project, type: PartType): CodeOfType | undefined {
  const [code, setCode] = useState<CodeOfType>();
  useEffect(() => {
    let isCurrent = true;
    const timer = setTimeout(
      () =>
        void codeOf(type.id).then(
          (found) => isCurrent && found && setCode(found),
          () =>
            isCurrent && setCode({ period: 0, files: [], unit: [], lines: [], pins: [], numbers: [], problems: [] }),
        ),
      code ? 250 : 0,
    );
    return () => {
      isCurrent = false;
      clearTimeout(timer);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [project, type.id]);
  return code;
}
