#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| {
    edgeplane_fuzz::calls(data);
});
