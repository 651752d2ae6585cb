import { useMutation, useQueryClient } from '@tanstack/react-query';
import { alarmPath } from '../../api/alarmQueries';
import { api } from '../../api/client';
import type { AlarmAnswer, AlarmHistory } from '../../api/schema';

/** Answers one alarm or several, one after another; what was answered stays answered if one fails. */
export function useAnswer(site: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async ({ ids, answer }: { ids: number[]; answer: AlarmAnswer }) => {
      for (const id of ids) await api.post<AlarmHistory>(`${alarmPath(site, id)}/answer`, answer);
    },
    onSettled: () => cache.invalidateQueries({ queryKey: ['alarms', site] }),
  });
}
