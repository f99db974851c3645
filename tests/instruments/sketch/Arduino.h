// The functions of a board that the example's sketch calls, on this computer: what it prints goes to
// standard output, what it is sent comes from standard input, both the end of a serial line. As on a
// real line, at another speed than its own nothing can be read.
#pragma once
#include <ctype.h>
#include <poll.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>

const int A0 = 14, LOW = 0, HIGH = 1, INPUT_PULLUP = 2;

struct SerialLine {
  speed_t speed = B0;
  void begin(long baud) { speed = baud == 115200 ? B115200 : B9600; }
  bool agrees() {
    struct termios line;
    return tcgetattr(1, &line) != 0 || cfgetospeed(&line) == speed;
  }
  void write(const char *text, size_t size) {
    const bool clear = agrees();
    for (size_t i = 0; i < size; i++) {
      char octet = clear ? text[i] : (char)(text[i] ^ 0xA5);
      if (::write(1, &octet, 1) != 1) exit(0);
    }
  }
  void print(const char *text) { write(text, strlen(text)); }
  void print(char one) { write(&one, 1); }
  int available() {
    struct pollfd waiting = {0, POLLIN, 0};
    return poll(&waiting, 1, 0) > 0 && (waiting.revents & POLLIN) ? 1 : 0;
  }
  int read() {
    char octet;
    if (::read(0, &octet, 1) != 1) exit(0);  // the computer is gone
    return (unsigned char)octet;
  }
};
extern SerialLine Serial;

unsigned long micros();
int analogRead(int pin);
int digitalRead(int pin);
void pinMode(int pin, int mode);
char *dtostrf(double value, signed char width, unsigned char decimals, char *to);
