import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { mono } from '../../theme/theme';
import { SPECIAL, type Split } from './split';

interface Props {
  split: Split;
  names: string[];
  onNames: (names: string[]) => void;
  /** Codes of signals that are declared, to choose from. */
  codes: string[];
}

/** The parts of a sample side by side, each with the name it is to have. */
export function SampleColumns({ split, names, onNames, codes }: Props) {
  const rename = (place: number, name: string) =>
    onNames(split.parts.map((_, at) => (at === place ? name : (names[at] ?? ''))));
  return (
    <Box>
      <Typography variant="body2" color="textSecondary" sx={{ mb: 1 }}>
        Name what is to be kept; the decoder follows. A part without a name is passed over.
      </Typography>
      <Box role="list" aria-label="Parts of the sample" sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        {split.parts.map((part, place) => (
          <Box role="listitem" key={place} sx={{ width: 150 }}>
            <Box
              sx={{
                ...mono,
                fontSize: 13,
                px: 1,
                py: 0.5,
                borderRadius: 1,
                bgcolor: 'action.hover',
                overflowWrap: 'anywhere',
                minHeight: 29,
              }}
            >
              {part.from === undefined ? '' : `${part.from}: `}
              {part.value === '' ? 'empty' : part.value}
            </Box>
            <Autocomplete
              freeSolo
              openOnFocus
              size="small"
              options={[...codes, ...SPECIAL]}
              inputValue={names[place] ?? ''}
              onInputChange={(_, name) => rename(place, name)}
              renderInput={(params) => (
                <TextField
                  {...params}
                  label={`Name of part ${place + 1}`}
                  placeholder="passed over"
                  sx={{ mt: 1 }}
                />
              )}
            />
          </Box>
        ))}
      </Box>
    </Box>
  );
}
