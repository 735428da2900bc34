import { useQuery } from "@tanstack/react-query";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { productionsQuery } from "@/api/queries";
import { BenchPage, PicturePage } from "@/features/bench";
import { BoardPage } from "@/features/board";
import { ChartPage } from "@/features/chart";
import { FootagePage } from "@/features/footage";
import { TakeAwayPage } from "@/features/handover";
import { ProductionsPage } from "@/features/sheets";
import { ErrorBoundary } from "@/shared/ErrorBoundary";
import { Empty, Loading, Problem } from "@/shared/Feedback";

function Home() {
  const productions = useQuery(productionsQuery());
  if (productions.isPending) return <Loading what="Opening productions" />;
  if (productions.isError)
    return <Problem error={productions.error} onRetry={() => productions.refetch()} />;
  const first = productions.data[0];
  return first ? <Navigate to={`/p/${first.id}`} replace /> : <ProductionsPage />;
}

export function App() {
  return (
    <BrowserRouter>
      <ErrorBoundary>
        <Routes>
          <Route path="/" element={<Home />} />
          <Route path="/productions" element={<ProductionsPage />} />
          <Route path="/p/:production" element={<BoardPage />} />
          <Route path="/p/:production/l/:light/c/:camera/chart" element={<ChartPage />} />
          <Route path="/p/:production/l/:light/c/:camera/bench" element={<BenchPage />} />
          <Route path="/p/:production/l/:light/c/:camera/picture" element={<PicturePage />} />
          <Route path="/p/:production/footage" element={<FootagePage />} />
          <Route path="/p/:production/take-away" element={<TakeAwayPage />} />
          <Route
            path="*"
            element={
              <Empty title="There is nothing at this address.">
                <a className="btn btn-sm" href="/">
                  To the Board
                </a>
              </Empty>
            }
          />
        </Routes>
      </ErrorBoundary>
    </BrowserRouter>
  );
}
