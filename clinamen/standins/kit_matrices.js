// Matrices row by row, and points through them, for the kit that a canvas draws.
export const times = (a, b) => a.map((row) => b[0].map((_, j) => row.reduce((sum, value, k) => sum + value * b[k][j], 0)));
const turned = (degrees, i, j, sign) => {
  const m = [[1, 0, 0], [0, 1, 0], [0, 0, 1]], angle = degrees * Math.PI / 180;
  m[i][i] = m[j][j] = Math.cos(angle);
  m[i][j] = sign * Math.sin(angle);
  m[j][i] = -m[i][j];
  return m;
};
export const yaw = (degrees) => turned(degrees, 0, 2, 1), pitch = (degrees) => turned(degrees, 1, 2, -1), roll = (degrees) => turned(degrees, 0, 1, -1);
export const transposed = (m) => m[0].map((_, j) => m.map((row) => row[j]));
export const clamped = (value, low, high) => Math.min(high, Math.max(low, value));
export const through = (m, a, b) => {
  const q = m[2][0] * a + m[2][1] * b + m[2][2];
  return [(m[0][0] * a + m[0][1] * b + m[0][2]) / q, (m[1][0] * a + m[1][1] * b + m[1][2]) / q, q];
};
export const inverse = ([[a, b, c], [d, e, f], [g, h, i]]) => {
  const whole = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  return [[e * i - f * h, c * h - b * i, b * f - c * e], [f * g - d * i, a * i - c * g, c * d - a * f], [d * h - e * g, b * g - a * h, a * e - b * d]].map((row) => row.map((value) => value / whole));
};
