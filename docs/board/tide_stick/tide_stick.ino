// A board with one analogue and one digital sensor as an instrument of Galena. No library is needed.
//
// Open this folder in the programming environment of your board, set what is marked CHANGE, and load
// it onto the board. It speaks the line protocol of docs/protocol.md at 115200 baud.

// CHANGE: maker, model, serial, firmware. The serial tells two boards of one model apart.
const char IDENTITY[] = "Skerry Works,Tide stick TS-2,0302,1.0";

// CHANGE: the pins.
const int LEVEL_PIN = A0;  // analogue: a level sensor that gives 0 V to 5 V
const int GATE_PIN = 2;    // digital: a gate that is closed when it gives LOW

// CHANGE: what the two values mean. id, quantity, symbol, unit, limits, step, readings a second.
const char CHANNELS[] =
    "[{\"id\": \"h\", \"quantity\": \"level\", \"symbol\": \"h\", \"unit\": \"mm\", "
    "\"min\": 0.0, \"max\": 500.0, \"resolution\": 0.5, \"max_rate\": 100.0}, "
    "{\"id\": \"g\", \"quantity\": \"gate closed\", \"symbol\": \"g\", \"unit\": \"\", "
    "\"min\": 0.0, \"max\": 1.0, \"resolution\": 1.0, \"max_rate\": 100.0}]";
const float MAX_RATE = 100.0;

// CHANGE: from what the pin gives to what you measure.
float levelInMm() { return analogRead(LEVEL_PIN) * (500.0 / 1023.0); }
int gateClosed() { return digitalRead(GATE_PIN) == LOW ? 1 : 0; }

const int LONGEST = 80;
char request[LONGEST + 1];
int length = 0;

float rate = 20.0;  // readings a second
bool streaming = false;
unsigned long sequence = 0;
uint64_t due = 0;  // when the next reading is to be taken, in microseconds

// micros() goes round after 71 minutes: what is beyond is counted here.
uint64_t now() {
  static unsigned long last = 0;
  static uint64_t rounds = 0;
  unsigned long ticks = micros();
  if (ticks < last) rounds += 0x100000000ULL;
  last = ticks;
  return rounds + ticks;
}

// Not every board can print 64 bits.
void writeWhole(char *to, uint64_t number) {
  char digits[21];
  int count = 0;
  do {
    digits[count++] = '0' + (int)(number % 10);
    number /= 10;
  } while (number);
  while (count) *to++ = digits[--count];
  *to = 0;
}

bool same(const char *text, const char *word) {
  while (*word && toupper(*text) == *word) text++, word++;
  return *word == 0 && (*text == 0 || *text == ' ');
}

void answer(const char *text) {
  Serial.print(text);
  Serial.print('\n');
}

void setRate(const char *text) {
  float wanted = atof(text);
  if (streaming) return answer("ERR stop the stream before changing its rate");
  if (!(wanted > 0 && wanted <= MAX_RATE)) return answer("ERR rate must be above 0 and at most 100");
  rate = wanted;
  answer("OK");
}

void setStream(const char *text) {
  while (*text == ' ') text++;
  bool on = same(text, "ON");
  if (!on && !same(text, "OFF")) return answer("ERR STREAM is ON or OFF");
  answer("OK");
  streaming = on;
  sequence = 0;
  due = now();
}

void obey(const char *text) {
  char number[24];
  if (same(text, "*IDN?")) return answer(IDENTITY);
  if (same(text, "CHAN:LIST?")) return answer(CHANNELS);
  if (same(text, "CLOCK?")) {
    writeWhole(number, now());
    return answer(number);
  }
  if (same(text, "RATE")) return setRate(text + 4);
  if (same(text, "STREAM")) return setStream(text + 6);
  answer("ERR unknown request");
}

void readRequests() {
  while (Serial.available() > 0) {
    int character = Serial.read();
    if (character == '\r') continue;
    if (character == '\n') {
      request[length] = 0;
      if (length > 0) obey(request);
      length = 0;
    } else if (length < LONGEST) {
      request[length++] = (char)character;
    }
  }
}

void sendReading() {
  char line[80], stamp[24], level[16];
  uint64_t taken = now();
  uint64_t interval = (uint64_t)(1000000.0 / rate);
  unsigned long missed = (unsigned long)((taken - due) / interval);  // their time went by: lost
  sequence += missed;
  writeWhole(stamp, taken);
  dtostrf(levelInMm(), 1, 1, level);
  snprintf(line, sizeof line, "%lu,%s,%s,%d", sequence, stamp, level, gateClosed());
  int checksum = 0;
  for (const char *at = line; *at; at++) checksum ^= *at;
  Serial.print('#');
  Serial.print(line);
  snprintf(line, sizeof line, "*%02X", checksum & 0xFF);
  answer(line);
  sequence += 1;
  due += (missed + 1) * interval;
}

void setup() {
  Serial.begin(115200);
  pinMode(GATE_PIN, INPUT_PULLUP);
}

void loop() {
  readRequests();
  if (streaming && now() >= due) sendReading();
}
