# The analogue input of the board, faked: it counts up by 655, a hundredth of full scale, a reading.


class ADC:
    def __init__(self, pin):
        self.pin = pin
        self.count = 0

    def read_u16(self):
        self.count += 1
        return (self.count * 655) % 65536
