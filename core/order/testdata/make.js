// Writes the names of names.txt in four orders, as independent implementations
// sort them: ICU's collation by Intl.Collator for three, and code points by
// comparing UTF-8 bytes. Run in this folder, with Node 20: node make.js
const fs = require('fs');
const names = fs.readFileSync('names.txt', 'utf8').split('\n').filter(Boolean);
const bytes = (a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b));
const by = (options) => {
  const collator = new Intl.Collator('en', { sensitivity: 'variant', ...options });
  return (a, b) => collator.compare(a, b) || bytes(a, b);
};
const orders = {
  'code-point': bytes,
  'alphabetical': by({}),
  'natural': by({ numeric: true }),
  'dictionary': by({ ignorePunctuation: true }),
};
for (const [name, compare] of Object.entries(orders)) {
  fs.writeFileSync(name + '.txt', [...names].sort(compare).join('\n') + '\n');
}
