import { configureStore } from '@reduxjs/toolkit';
import { useDispatch, useSelector } from 'react-redux';
import { api } from '../api/api';
import { byHandReducer } from './by-hand-slice';
import { selectReducer } from './select-slice';
import { viewReducer } from './view-slice';

export const store = configureStore({
  reducer: { [api.reducerPath]: api.reducer, view: viewReducer, select: selectReducer, byHand: byHandReducer },
  middleware: (getDefault) => getDefault().concat(api.middleware),
});

export type RootState = ReturnType<typeof store.getState>;
export const useAppDispatch = useDispatch.withTypes<typeof store.dispatch>();
export const useAppSelector = useSelector.withTypes<RootState>();
