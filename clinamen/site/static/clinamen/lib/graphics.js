// Whether this browser draws with a graphics card or by the processor alone.
/** True where no graphics card draws: large blurred and filtered things will take their time. */
export function drawsByProcessor() {
  const gl = document.createElement('canvas').getContext('webgl');
  if (!gl) return true;
  const named = gl.getExtension('WEBGL_debug_renderer_info');
  const name = named ? gl.getParameter(named.UNMASKED_RENDERER_WEBGL) : '';
  gl.getExtension('WEBGL_lose_context')?.loseContext();
  return /swiftshader|llvmpipe|software|basic render/i.test(name);
}
