#include "stasigraph/job.hpp"

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <xmmintrin.h>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <exception>
#include <mutex>
#include <thread>

#include "base/forecast.hpp"
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

/// Of a stage whose progress is not known but by the clock.
constexpr double most_by_forecast = 0.95;

}  // namespace

struct Job::State {
    JobOptions settings;
    tbb::task_arena arena;
    std::atomic<bool> cancel{false};
    std::atomic<Clock::rep> until{0};  ///< Ticks of the clock; 0: no limit.
    Forecast forecast;
    std::vector<ForecastEvent>* record = nullptr;
    double shown = 0;  ///< Of the plan, the share told of so far.
    bool planned = false;

    void tell(ForecastEvent::Kind kind, std::string_view name, double value) {
        const ForecastEvent e{kind, std::string(name), value, seconds_since(plan_start)};
        forecast.tell(e);
        if (record) record->push_back(e);
    }
    std::string stage;
    std::string within;  ///< The planned stage that all others are steps of at present, or empty.
    std::size_t units = 0;
    std::atomic<std::size_t> done{0};
    Clock::time_point plan_start = Clock::now(), stage_start = plan_start;
    std::atomic<std::int64_t> last_report{0};
    std::mutex report_lock;
    std::vector<StageTime> times;
    bool running = false;

    explicit State(JobOptions s)
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
        Progress p{.stage = stage, .done = share, .seconds = seconds_since(plan_start), .seconds_left = -1};
        if (!within.empty()) {
            // How much of it is done is known by its forecast alone.
            const double cost = forecast.cost(within), part = seconds_since(stage_start) / cost;
            if (cost > 0) tell(ForecastEvent::Kind::running, within, std::min(part, most_by_forecast));
            p.stage = within;
            p.done = shown = std::max(shown, forecast.done());
            p.seconds_left = forecast.left(p.seconds);
        } else if (planned) {
            if (running) tell(ForecastEvent::Kind::running, stage, share);
            p.done = shown = std::max(shown, forecast.done());  // costs may turn out higher
            p.seconds_left = forecast.left(p.seconds);
        }
        settings.on_progress(p);
    }
};

Job::Job(JobOptions settings) : state_(new State(std::move(settings))) {}
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
    return state_->cancel || out_of_time() || (state_->settings.stop && state_->settings.stop());
}
void Job::limit(double seconds) noexcept {
    const auto far = std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(seconds));
    state_->until = seconds > 0 ? (Clock::now() + far).time_since_epoch().count() : 0;
}
bool Job::out_of_time() const noexcept {
    const Clock::rep until = state_->until.load(std::memory_order_relaxed);
    return until != 0 && Clock::now().time_since_epoch().count() >= until;
}

void Job::plan(std::vector<PlannedStage> stages) {
    state_->forecast.clear();
    state_->planned = !stages.empty();
    state_->shown = 0;
    state_->plan_start = Clock::now();
    for (const PlannedStage& s : stages) state_->tell(ForecastEvent::Kind::plan, stage_name(s.stage), s.cost);
    state_->times.clear();
}

void Job::expect(Stage stage, double cost) {
    const std::lock_guard lock(state_->report_lock);
    if (state_->planned && state_->within.empty())
        state_->tell(ForecastEvent::Kind::plan, stage_name(stage), cost);
}

bool Job::expects(Stage stage) const {
    const std::lock_guard lock(state_->report_lock);
    return state_->planned && state_->forecast.expects(stage_name(stage));
}

double Job::pace() const {
    const std::lock_guard lock(state_->report_lock);
    return state_->forecast.pace(seconds_since(state_->plan_start));
}

void Job::begin(Stage stage, std::size_t units) {
    State& s = *state_;
    if (!s.within.empty()) return;
    finish();
    s.stage = stage_name(stage);
    s.units = units;
    s.done = 0;
    s.stage_start = Clock::now();
    s.running = true;
    // A stage may come again, for one set after the other.
    if (const std::lock_guard lock(s.report_lock); s.planned) s.tell(ForecastEvent::Kind::again, s.stage, 0);
}

void Job::advance(std::size_t units) {
    state_->done.fetch_add(units, std::memory_order_relaxed);
    state_->report(false);
}

void Job::finish() {
    State& s = *state_;
    if (!s.running || !s.within.empty()) return;
    s.running = false;
    s.times.push_back({s.stage, seconds_since(s.stage_start)});
    if (const std::lock_guard lock(s.report_lock); s.planned)
        s.tell(ForecastEvent::Kind::finished, s.stage, s.times.back().seconds);
    s.done = 0;
    s.report(true);
}

Job::Within::Within(Job& job, Stage stage) {
    State& s = *job.state_;
    if (!s.within.empty() || !job.expects(stage)) return;
    job.begin(stage, 0);
    s.within = stage_name(stage);
    job_ = &job;
}
Job::Within::~Within() {
    if (!job_) return;
    job_->state_->within.clear();
    job_->finish();
}

void record_forecast(Job& job, std::vector<ForecastEvent>& into) {
    job.state_->record = &into;
}

void Job::note(const std::string& text) {
    if (state_->settings.on_note) state_->settings.on_note(text);
}

std::uint64_t Job::memory() const noexcept {
    return state_->settings.memory;
}

const std::vector<Job::StageTime>& Job::times() const noexcept {
    return state_->times;
}

void Job::parallel(std::size_t count, std::size_t grain,
                   const std::function<void(std::size_t, std::size_t)>& body) {
    const std::size_t pieces = (count + grain - 1) / grain;
#ifdef STASIGRAPH_SANITIZE_THREADS
    // The sanitizer does not see how oneTBB's library hands work over, and would take everything for a race:
    // threads that it knows, started and joined here.
    std::atomic<std::size_t> next{0};
    std::exception_ptr thrown;
    std::mutex lock;
    const auto work = [&] {
        const FlushToZero guard;
        try {
            for (std::size_t i = next++; i < pieces; i = next++) {
                if (cancelled()) throw Cancelled{};
                body(i * grain, std::min(count, (i + 1) * grain));
            }
        } catch (...) {
            const std::lock_guard hold(lock);
            thrown = std::current_exception();
            next = pieces;
        }
    };
    std::vector<std::thread> workers;
    for (unsigned t = 1; t < std::min<std::size_t>(threads(), pieces); ++t) workers.emplace_back(work);
    work();
    for (std::thread& worker : workers) worker.join();
    if (thrown) std::rethrow_exception(thrown);
    return;
#endif
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
