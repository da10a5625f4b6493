#include "stasigraph/job.hpp"

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <xmmintrin.h>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <mutex>

#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

/// Flush-to-zero and denormals-are-zero while it lives; tiny bounce light would otherwise slow the solver.
class FlushToZero {
public:
    FlushToZero() : saved_(_mm_getcsr()) { _mm_setcsr(saved_ | 0x8040u); }
    ~FlushToZero() { _mm_setcsr(saved_); }
    FlushToZero(const FlushToZero&) = delete;
    FlushToZero& operator=(const FlushToZero&) = delete;

private:
    unsigned saved_;
};

}  // namespace

struct Job::State {
    JobSettings settings;
    tbb::task_arena arena;
    std::atomic<bool> cancel{false};
    std::vector<PlannedStage> plan;
    double plan_total = 0, plan_before = 0, plan_stage = 0;  // cost: of all, of finished stages, of this one
    std::string stage;
    std::size_t units = 0;
    std::atomic<std::size_t> done{0};
    Clock::time_point plan_start = Clock::now(), stage_start = plan_start;
    std::atomic<std::int64_t> last_report{0};
    std::mutex report_lock;
    std::vector<StageTime> times;
    bool running = false;

    explicit State(JobSettings s)
        : settings(std::move(s)),
          arena(settings.threads == 0 ? tbb::task_arena::automatic : static_cast<int>(settings.threads)) {}

    void report(bool always) {
        if (!settings.on_progress) return;
        const auto now = Clock::now().time_since_epoch() / std::chrono::milliseconds(1);
        if (!always && now - last_report.load(std::memory_order_relaxed) < 100) return;
        const std::unique_lock lock(report_lock, std::try_to_lock);
        if (!lock) return;
        last_report = now;
        const double share =
            units == 0 ? 0 : std::min(1.0, static_cast<double>(done.load()) / static_cast<double>(units));
        Progress p{.stage = stage, .done = 0, .seconds = seconds_since(plan_start), .seconds_left = -1};
        // A stage may come again, for one set after the other.
        p.done = plan_total > 0 ? std::min(1.0, (plan_before + plan_stage * share) / plan_total) : share;
        // What is left of the plan, priced by what its part so far has cost.
        if (p.done > 0.02) p.seconds_left = p.seconds * (1 - p.done) / p.done;
        settings.on_progress(p);
    }
};

Job::Job(JobSettings settings) : state_(new State(std::move(settings))) {}
Job::~Job() {
    delete state_;
}

unsigned Job::threads() const noexcept {
    return static_cast<unsigned>(state_->arena.max_concurrency());
}
void Job::cancel() noexcept {
    state_->cancel = true;
}
bool Job::cancelled() const noexcept {
    return state_->cancel;
}

void Job::plan(std::vector<PlannedStage> stages) {
    state_->plan = std::move(stages);
    state_->plan_total = 0;
    for (const PlannedStage& s : state_->plan) state_->plan_total += s.cost;
    state_->plan_before = state_->plan_stage = 0;
    state_->plan_start = Clock::now();
    state_->times.clear();
}

void Job::begin(std::string_view stage, std::size_t units) {
    State& s = *state_;
    finish();
    s.stage = stage;
    s.units = units;
    s.done = 0;
    s.stage_start = Clock::now();
    s.running = true;
    for (const PlannedStage& p : s.plan)
        if (p.name == s.stage) s.plan_stage = p.cost;
}

void Job::advance(std::size_t units) {
    state_->done.fetch_add(units, std::memory_order_relaxed);
    state_->report(false);
}

void Job::finish() {
    State& s = *state_;
    if (!s.running) return;
    s.running = false;
    s.times.push_back({s.stage, seconds_since(s.stage_start)});
    s.plan_before += s.plan_stage;
    s.plan_stage = 0;
    s.done = 0;
    s.report(true);
}

void Job::note(const std::string& text) {
    if (state_->settings.on_note) state_->settings.on_note(text);
}

const std::vector<Job::StageTime>& Job::times() const noexcept {
    return state_->times;
}

void Job::parallel(std::size_t count, std::size_t grain,
                   const std::function<void(std::size_t, std::size_t)>& body) {
    const std::size_t pieces = (count + grain - 1) / grain;
    state_->arena.execute([&] {
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, pieces, 1), [&](const auto& range) {
            const FlushToZero guard;
            for (std::size_t i = range.begin(); i != range.end(); ++i) {
                if (cancelled()) throw Cancelled{};
                body(i * grain, std::min(count, (i + 1) * grain));
            }
        });
    });
}

}  // namespace stasigraph
