package timecode

// MostSamples is the greatest position, length or distance that anything has, in samples: 366 days at 768 kHz, above every rate that
// is read. Sums of a thousand of them stay within 64 bits.
const MostSamples = 366 * 86400 * 768_000
