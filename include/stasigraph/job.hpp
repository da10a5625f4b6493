#pragma once
#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "stasigraph/stage.hpp"

namespace stasigraph {

/// How far a long call has come.
struct Progress {
    std::string_view stage;   ///< Name of the running stage.
    double done = 0;          ///< Share of the whole call that is done, 0 to 1.
    double seconds = 0;       ///< Since the plan was made.
    double seconds_left = 0;  ///< Forecast; negative while there is nothing to forecast from.
};

struct JobOptions {
    unsigned threads = 0;  ///< Worker threads; 0 means one for each core. Never changes a result.
    /// Bytes that a bake may take; 0: any number. Links past it stay in the files of its store until they are
    /// read; a level whose texels alone take more is refused. Never changes a result.
    std::uint64_t memory = 0;
    /// Asked often, from any worker: whether to stop, as cancel() does. For a program whose signal handlers
    /// or windows set a flag of their own. Empty: never.
    std::function<bool()> stop;
    std::function<void(const Progress&)> on_progress;  ///< Called from any worker, one at a time.
    std::function<void(std::string_view)> on_note;     ///< Things the user should know, one sentence each.
};

/// A stage of a plan and its share of the whole time, in any unit common to the plan.
struct PlannedStage {
    Stage stage;
    double cost = 1;
};

/// Threads, progress, notes, stage times and cancelling for every long call.
///
/// Threads: one call at a time uses a job; cancel() may come from any thread, while the job lives.
/// Owner:   owns its worker threads.
class Job {
public:
    explicit Job(JobOptions settings = {});
    ~Job();
    Job(const Job&) = delete;
    Job& operator=(const Job&) = delete;

    unsigned threads() const noexcept;
    std::uint64_t memory() const noexcept;
    void cancel() noexcept;
    bool cancelled() const noexcept;
    /// Cancels the job by itself after this many seconds from now; 0: never, also not as asked for before.
    void limit(double seconds) noexcept;
    /// Whether that was what cancelled it.
    bool out_of_time() const noexcept;

    /// Declares the stages to come, so that progress can be told of the whole. Optional.
    void plan(std::vector<PlannedStage> stages);
    /// Another cost of a planned stage, once more is known of it; or one more stage.
    void expect(Stage stage, double cost);
    /// Whether a planned stage is still to come.
    bool expects(Stage stage) const;
    /// Seconds that a unit of a planned cost took so far; 1 while nothing tells.
    double pace() const;
    /// Starts a stage of `units` steps; the one before it is then finished.
    void begin(Stage stage, std::size_t units);
    void advance(std::size_t units);
    void finish();
    /// While it lives, a call that has stages of its own is one stage of the plan: what it begins, expects
    /// and takes counts as that stage alone. Without a plan, or where the plan has no such stage, it does
    /// nothing.
    class Within {
    public:
        Within(Job& job, Stage stage);
        ~Within();
        Within(const Within&) = delete;
        Within& operator=(const Within&) = delete;

    private:
        Job* job_ = nullptr;
    };
    void note(const std::string& text);

    /// Seconds each finished stage took, in order.
    struct StageTime {
        std::string name;
        double seconds = 0;
    };
    const std::vector<StageTime>& times() const noexcept;

    /// Calls body(first, last) over [0, count) in pieces of `grain`, in parallel. The split depends on count
    /// and grain alone, never on the number of threads. Throws Cancelled when cancelled, or what body throws.
    void parallel(std::size_t count, std::size_t grain,
                  const std::function<void(std::size_t first, std::size_t last)>& body);

private:
    friend void record_forecast(Job& job, std::vector<struct ForecastEvent>& into);
    struct State;
    State* state_;  // owned; kept plain so that this header needs no <memory>
};

}  // namespace stasigraph
