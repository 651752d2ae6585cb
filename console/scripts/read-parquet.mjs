// Prints what a Parquet file holds, as a reader of other make sees it: { metadata, rows }.
import { readFileSync } from 'node:fs';
import { parquetMetadata, parquetReadObjects } from 'hyparquet';
import { compressors } from 'hyparquet-compressors';

const bytes = readFileSync(process.argv[2]);
const file = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
const metadata = Object.fromEntries(
  (parquetMetadata(file).key_value_metadata ?? []).map(({ key, value }) => [key, value]),
);
// Dates of this language have milliseconds only; files have microseconds.
const parsers = { timestampFromMicroseconds: (micros) => Number(micros) };
const rows = await parquetReadObjects({ file, compressors, parsers });
process.stdout.write(JSON.stringify({ metadata, rows }));
