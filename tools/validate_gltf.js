// Khronos gltf-validator over files: prints {file: {errors, warnings, messages}} as JSON.
const validator = require('gltf-validator'), fs = require('fs'), path = require('path');
const found = {};
Promise.all(process.argv.slice(2).map(file => validator.validateBytes(new Uint8Array(fs.readFileSync(file)), {
  uri: file,
  externalResourceFunction: uri => fs.promises.readFile(path.resolve(path.dirname(file), decodeURIComponent(uri))).then(d => new Uint8Array(d)),
}).then(r => { found[file] = {errors: r.issues.numErrors, warnings: r.issues.numWarnings, messages: r.issues.messages.slice(0, 5)}; })))
  .then(() => console.log(JSON.stringify(found)));
