// Runs a sketch as a board does: setup once, then loop. The level rises by 1 mm in ten readings, the
// gate closes and opens; the 32-bit clock goes round 0.2 s after the start.
#include "Arduino.h"

SerialLine Serial;
static const uint64_t STARTS_AT = 0xFFFFFFFFULL - 200000;

unsigned long micros() {
  struct timespec now;
  clock_gettime(CLOCK_MONOTONIC, &now);
  static const uint64_t began = (uint64_t)now.tv_sec * 1000000 + now.tv_nsec / 1000;
  const uint64_t since = (uint64_t)now.tv_sec * 1000000 + now.tv_nsec / 1000 - began;
  return (uint32_t)(STARTS_AT + since);
}
int analogRead(int pin) {
  static int read = 0;
  return pin == A0 ? (read++ / 5) % 1024 : 0;
}
int digitalRead(int pin) {
  static int read = 0;
  return pin == 2 && (read++ / 10) % 2 ? HIGH : LOW;
}
void pinMode(int, int) {}
char *dtostrf(double value, signed char width, unsigned char decimals, char *to) {
  sprintf(to, "%*.*f", width, decimals, value);
  return to;
}

#include SKETCH

int main() {
  setup();
  for (;;) {
    loop();
    usleep(100);
  }
}
