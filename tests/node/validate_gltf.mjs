// Prints the Khronos validator's report on a .glb as JSON: node validate_gltf.mjs FILE
import { readFileSync } from 'node:fs';
import validator from 'gltf-validator';

const report = await validator.validateBytes(new Uint8Array(readFileSync(process.argv[2])));
console.log(JSON.stringify(report));
