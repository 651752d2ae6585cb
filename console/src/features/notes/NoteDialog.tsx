import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../../api/client';
import { part } from '../../api/queries';
import type { NewNote, Note } from '../../api/schema';
import { FormDialog } from '../../components/FormDialog';
import { RemoveButton } from '../../components/RemoveButton';
import { dateTime, parseLocal } from '../../format/time';

/** Something a note can be about: `tower`, `tower/level`, or nothing for the whole site. */
export interface Topic {
  about: string;
  name: string;
}

/** A note that is written or changed; times in milliseconds. */
export interface NoteDraft {
  id?: number;
  about: string;
  from: number;
  to?: number;
  text: string;
}

/** What a note that is there says, to be changed. */
export const draftOf = ({
  id,
  about,
  from,
  to,
  text,
}: Pick<Note, 'id' | 'about' | 'from' | 'to' | 'text'>) => ({
  id,
  about,
  from: Date.parse(from),
  ...(to === undefined ? {} : { to: Date.parse(to) }),
  text,
});

interface Props {
  site: string;
  zone: string;
  topics: Topic[];
  draft: NoteDraft;
  onClose: () => void;
}

/** Writes a note to a time or a span, changes or removes it. */
export function NoteDialog({ site, zone, topics, draft, onClose }: Props) {
  const cache = useQueryClient();
  const [text, setText] = useState(draft.text);
  const [about, setAbout] = useState(draft.about);
  const local = (at: number | undefined) => (at === undefined ? '' : dateTime(at, zone));
  const [from, setFrom] = useState(local(draft.from));
  const [to, setTo] = useState(local(draft.to));
  // A time that nobody touched keeps its fractions of a second.
  const moment = (typed: string, before: number | undefined) =>
    typed === local(before) ? before : parseLocal(typed, zone);
  const [begin, end] = [moment(from, draft.from), to.trim() === '' ? undefined : moment(to, draft.to)];
  const isEndWrong = to.trim() !== '' && (end === undefined || (begin !== undefined && end <= begin));
  const path = `/sites/${part(site)}/notes`;
  const onSuccess = async () => {
    await Promise.all([
      cache.invalidateQueries({ queryKey: ['notes', site] }),
      cache.invalidateQueries({ queryKey: ['marks', site] }),
    ]);
    onClose();
  };
  const keep = useMutation({
    mutationFn: () => {
      const iso = (at: number) => new Date(at).toISOString();
      const note: NewNote = {
        about,
        from: iso(begin ?? 0),
        text,
        ...(end === undefined ? {} : { to: iso(end) }),
      };
      return draft.id === undefined ? api.post(path, note) : api.put(`${path}/${draft.id}`, note);
    },
    onSuccess,
  });
  const remove = useMutation({ mutationFn: () => api.delete(`${path}/${draft.id}`), onSuccess });
  const choices = topics.some((topic) => topic.about === about)
    ? topics
    : [...topics, { about, name: about }];
  return (
    <FormDialog
      title={draft.id === undefined ? 'Write a note' : 'Change the note'}
      submit="Keep it"
      onSubmit={() => keep.mutate()}
      onClose={onClose}
      isPending={keep.isPending}
      error={keep.error ?? remove.error}
      disabled={text.trim() === '' || begin === undefined || isEndWrong}
      other={
        draft.id !== undefined && (
          <RemoveButton isPending={remove.isPending} onRemove={() => remove.mutate()} />
        )
      }
    >
      <TextField
        label="What happened"
        value={text}
        onChange={(event) => setText(event.target.value)}
        multiline
        minRows={2}
        maxRows={8}
        autoFocus
        required
      />
      <TextField select label="About" value={about} onChange={(event) => setAbout(event.target.value)}>
        {choices.map((topic) => (
          <MenuItem key={topic.about} value={topic.about}>
            {topic.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="When, or from when"
        value={from}
        error={begin === undefined}
        onChange={(event) => setFrom(event.target.value)}
        helperText="Date and time at the site, such as 2026-05-01 14:02"
        required
      />
      <TextField
        label="Until when"
        value={to}
        error={isEndWrong}
        onChange={(event) => setTo(event.target.value)}
        helperText={isEndWrong ? 'A time after the begin, or nothing' : 'Nothing for a single time'}
      />
    </FormDialog>
  );
}
