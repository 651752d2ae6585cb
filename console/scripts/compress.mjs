// Packs each file of the build with Brotli and gzip, so that the service sends
// them packed without packing anything itself.
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { brotliCompressSync, constants, gzipSync } from 'node:zlib';

const dist = new URL('../dist', import.meta.url).pathname;

for (const name of readdirSync(dist, { recursive: true })) {
  const file = join(dist, name);
  if (!/\.(html|js|css|svg|json)$/.test(file) || !statSync(file).isFile()) continue;
  const data = readFileSync(file);
  const brotli = brotliCompressSync(data, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } });
  const gzip = gzipSync(data, { level: 9 });
  if (brotli.length < data.length) writeFileSync(`${file}.br`, brotli);
  if (gzip.length < data.length) writeFileSync(`${file}.gz`, gzip);
}
