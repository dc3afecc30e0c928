run_tests() { :; }; run_bench() { :; }
