-- Sends the session's cookie, and prints what run.sh reads: requests a second, median and 99th percentile in milliseconds, answers that were not 200.
local cookie = os.getenv("BENCH_COOKIE")
if cookie and #cookie > 0 then wrk.headers["Cookie"] = cookie end

done = function(summary, latency)
  local failed = summary.errors.status + summary.errors.connect + summary.errors.read + summary.errors.write + summary.errors.timeout
  io.write(string.format("RESULT %.1f %.1f %.1f %d\n",
    summary.requests / (summary.duration / 1e6), latency:percentile(50) / 1000, latency:percentile(99) / 1000, failed))
end
